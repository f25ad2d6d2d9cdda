import { chakra } from "@chakra-ui/react";
import { createContext, useContext, useEffect, useMemo, useSyncExternalStore, type ReactNode } from "react";

import { ServerError } from "../api/client";
import { cachedSession, postEdit, postStep, refreshSession, useSession } from "../api/queries";
import type { SessionState, Strip, Wish } from "../api/types";
import { settleNudges } from "../controls/useNudge";
import { gridOf, type BeatGrid } from "../lib/beatGrid";
import { Live, type Transport } from "../live/live";
import { focusStrip, notify, useView } from "./store";

type Acting = {
  live: Live;
  /** Make an edit; a cure says which revision was measured to find what it cures. */
  edit: (action: Wish, evidenceRevision?: number) => Promise<boolean>;
  step: (step: "undo" | "redo") => void;
  /** The session as it is at this moment, for what acts on it without showing it. */
  now: () => SessionState;
};
type Open = Acting & { state: SessionState; strips: Map<string, Strip>; grid: BeatGrid };

const ActingContext = createContext<Acting | null>(null);
const SessionContext = createContext<Open | null>(null);

/** Everything below works on one open session. */
export function OpenSession({ id, children }: { id: string; children: ReactNode }) {
  const { data: state, error } = useSession(id);
  const live = useLive(id);

  const acting = useMemo<Acting>(
    () => ({
      live,
      edit: async (action, evidenceRevision) => {
        settleNudges();
        try {
          await postEdit(id, action, evidenceRevision);
          return true;
        } catch (failure) {
          live.revert();
          report(failure);
          return false;
        }
      },
      step: (step) => {
        settleNudges();
        void postStep(id, step).catch(report);
      },
      now: () => {
        const state = cachedSession(id);
        if (!state) throw new Error("the session is not there yet");
        return state;
      },
    }),
    [live, id],
  );
  const tempo = state?.document.tempo;
  const grid = useMemo(() => gridOf(tempo ?? []), [tempo]);
  const open = useMemo<Open | null>(
    () =>
      state
        ? { ...acting, state, grid, strips: new Map(state.document.strips.map((strip) => [strip.id, strip])) }
        : null,
    [acting, state, grid],
  );

  const focused = useView((view) => view.focused);
  useEffect(() => {
    if (open && !open.strips.has(focused)) {
      const first = open.state.document.strips[0];
      if (first) focusStrip(first.id);
    }
  }, [open, focused]);
  useEffect(() => live.watch(focused || null), [live, focused]);
  useEffect(() => {
    const reach = () => live.reach();
    window.addEventListener("pointerdown", reach, true);
    return () => window.removeEventListener("pointerdown", reach, true);
  }, [live]);
  useEffect(() => {
    window.addEventListener("pagehide", settleNudges);
    return () => window.removeEventListener("pagehide", settleNudges);
  }, []);
  useEffect(() => {
    if (state) document.title = `${state.document.name} · Gemischt`;
  }, [state]);

  if (error instanceof ServerError) return <Failure error={error} />;
  return open ? (
    <ActingContext.Provider value={acting}>
      <SessionContext.Provider value={open}>{children}</SessionContext.Provider>
    </ActingContext.Provider>
  ) : null;
}

function Failure({ error }: { error: ServerError }) {
  return (
    <chakra.p role="alert" padding="24px">
      {error.body.where}: {error.body.what}. {error.body.remedy} <a href="/">Back to the sessions</a>
    </chakra.p>
  );
}

const lives = new Map<string, { live: Live; users: number }>();

function connect(id: string): Live {
  return new Live(id, {
    onDocument: (revision) => refreshSession(id, revision),
    onError: (error) => notify("error", `${error.where}: ${error.what}`, error.remedy),
  });
}

/** One connection per session, shared by whoever mounts, closed when nobody is left. */
function useLive(id: string): Live {
  const live = useMemo(() => {
    const known = lives.get(id) ?? { live: connect(id), users: 0 };
    lives.set(id, known);
    return known.live;
  }, [id]);
  useEffect(() => {
    const entry = lives.get(id);
    if (!entry) return;
    entry.users += 1;
    Object.assign(window, { gemischtLive: live });
    return () => {
      entry.users -= 1;
      setTimeout(() => {
        if (entry.users === 0 && lives.get(id) === entry) {
          lives.delete(id);
          live.close();
        }
      }, 0);
    };
  }, [id, live]);
  return live;
}

export function report(failure: unknown): void {
  if (failure instanceof ServerError) {
    const { what, where, remedy } = failure.body;
    notify("error", where ? `${where}: ${what}` : what, remedy);
  } else {
    notify("error", String(failure));
  }
}

/** What can be done with the open session: never changes, so that whoever needs no more is not drawn after each edit. */
export function useActing(): Acting {
  const acting = useContext(ActingContext);
  if (!acting) throw new Error("no session is open");
  return acting;
}

/** The open session as it is now, and what can be done with it; only below OpenSession. */
export function useOpen(): Open {
  const open = useContext(SessionContext);
  if (!open) throw new Error("no session is open");
  return open;
}

export function useTransport(): Transport {
  const { live } = useActing();
  return useSyncExternalStore(live.transport.subscribe, live.transport.get);
}

export function useConnected(): boolean {
  const { live } = useActing();
  return useSyncExternalStore(live.connected.subscribe, live.connected.get);
}
