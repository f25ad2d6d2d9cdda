import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState, type DragEvent } from "react";

import { answer, server, ServerError } from "../../api/client";
import { refreshJobs, refreshSessions, useJobs, useSessions, useStorage } from "../../api/queries";
import type { SessionListing } from "../../api/types";
import { openSession } from "../../app/location";
import { PlainButton } from "../../controls/PlainButton";
import { isUnderWay } from "../../lib/jobs";
import { SONG_COLUMNS, SongRow, type SongAction } from "./SongRow";
import { gigabytes, isFound } from "./songs";
import { useBringSongs } from "./useBringSongs";

/** Where everything begins: songs to open, files to begin a song with. */
export function SessionList() {
  const [inBin, setInBin] = useState(false);
  const { data: sessions, error } = useSessions(inBin);
  const { data: storage } = useStorage();
  const [problem, setProblem] = useState("");
  const [wanted, setWanted] = useState("");
  const [chosen, setChosen] = useState("");
  const { bringing, bring, drop } = useBringSongs((found) =>
    setProblem((known) => `${known} ${found}`.trim()),
  );
  const measuring = useMeasuring(inBin ? [] : (sessions ?? []));
  const shown = (sessions ?? []).filter((song) => isFound(song, wanted));
  const picker = useRef<HTMLInputElement>(null);
  const act = async <T,>(call: Promise<{ data?: T }>) => {
    try {
      const state = await answer(call);
      setProblem("");
      refreshSessions();
      return state;
    } catch (failure) {
      setProblem(
        failure instanceof ServerError ? `${failure.body.what} ${failure.body.remedy}` : String(failure),
      );
      return undefined;
    }
  };
  const onAct = (song: SessionListing) => (action: SongAction, name?: string) => {
    const at = { params: { path: { session_id: song.id } } };
    if (action === "duplicate") void act(server.POST("/api/sessions/{session_id}/duplicate", at));
    else if (action === "delete") void act(server.DELETE("/api/sessions/{session_id}", at));
    else if (action === "restore") void act(server.POST("/api/sessions/{session_id}/restore", at));
    else
      void act(
        server.POST("/api/sessions/{session_id}/edits", {
          ...at,
          body: { revision: song.revision, action: { type: "set-song", name }, evidence_revision: null },
        }),
      );
  };
  return (
    <chakra.main
      padding="40px 24px"
      height="100vh"
      overflowY="auto"
      onDragOver={(event: DragEvent) => event.preventDefault()}
      onDrop={(event: DragEvent) => {
        event.preventDefault();
        setProblem("");
        void drop(event.dataTransfer);
      }}
    >
      <chakra.div maxWidth="1056px" margin="0 auto">
        <chakra.div display="flex" alignItems="flex-end" gap="8px" marginBottom="16px">
          <chakra.div flex="1">
            <chakra.h1 fontSize="24px" fontWeight="700">
              Gemischt
            </chakra.h1>
            <chakra.p color="quiet">
              {sessions && !inBin && `${sessions.length} ${sessions.length === 1 ? "song" : "songs"}. `}
              {storage &&
                `${gigabytes(storage.audio_bytes)} of audio kept here; ${gigabytes(storage.free_bytes)} free.`}
            </chakra.p>
          </chakra.div>
          <NewSong act={act} />
        </chakra.div>
        <chakra.div
          border="2px dashed"
          borderColor="edge"
          borderRadius="small"
          bg="card"
          padding="16px 24px"
          display="flex"
          alignItems="center"
          gap="16px"
        >
          <chakra.div flex="1">
            <chakra.strong>Drop the tracks of a song here</chakra.strong>
            <chakra.p color="quiet">
              {bringing ? (
                <span role="status">
                  bringing in {bringing.words}, {Math.round(100 * bringing.share)} %
                </span>
              ) : (
                "Files or a whole folder: WAV, AIFF, FLAC, Ogg, MP3, or a Gemischt session. Each file becomes a track; the first sets the sample rate."
              )}
            </chakra.p>
          </chakra.div>
          <input
            ref={picker}
            type="file"
            multiple
            hidden
            accept=".wav,.flac,.aif,.aiff,.ogg,.opus,.mp3,.w64,.zip,audio/*"
            aria-label="Tracks of a song, or a session"
            onChange={(event) => {
              setProblem("");
              void bring([...(event.target.files ?? [])], null);
              event.target.value = "";
            }}
          />
          <PlainButton onClick={() => picker.current?.click()}>Choose files…</PlainButton>
        </chakra.div>
        {(problem || error) && (
          <chakra.p role="alert" color="over" marginTop="12px">
            ⚠ {problem || String(error)}
          </chakra.p>
        )}
        <chakra.div display="flex" alignItems="center" gap="16px" margin="20px 0 6px">
          <chakra.input
            type="search"
            aria-label="Find a song or a strip"
            placeholder="Find a song or a strip"
            value={wanted}
            width="330px"
            height="28px"
            bg="transparent"
            borderBottom="1px solid"
            borderColor="edge"
            onChange={(event) => setWanted(event.target.value)}
          />
          <chakra.span color="quiet" fontSize="small">
            {inBin ? "in the bin" : "newest first"}
          </chakra.span>
        </chakra.div>
        {sessions?.length === 0 && (
          <chakra.p color="quiet" padding="12px 8px">
            {inBin ? "The bin is empty." : "No song yet. Drop the tracks of one above, or name an empty one."}
          </chakra.p>
        )}
        <div role="table" aria-label="Songs">
          <chakra.div
            role="row"
            display="grid"
            gridTemplateColumns={SONG_COLUMNS}
            gap="16px"
            padding="0 8px"
            fontSize="small"
            color="quiet"
          >
            <span role="columnheader">song</span>
            <span role="columnheader" aria-label="curve" />
            {["length", "LUFS", "findings"].map((name) => (
              <chakra.span key={name} role="columnheader" textAlign="right">
                {name}
              </chakra.span>
            ))}
            <span role="columnheader">changed</span>
            <span role="columnheader" aria-label="more" />
          </chakra.div>
          {shown.map((song) => (
            <SongRow
              key={song.id}
              song={song}
              chosen={song.id === chosen}
              measuring={measuring.get(song.id) ?? null}
              onChoose={() => setChosen(song.id)}
              onAct={onAct(song)}
            />
          ))}
        </div>
        <chakra.p color="quiet" fontSize="small" marginTop="12px">
          Arrows choose, Enter opens, F2 renames, Ctrl+D duplicates, Delete moves to the bin.{" "}
          <chakra.button
            type="button"
            minHeight="target"
            textDecoration="underline"
            cursor="pointer"
            aria-pressed={inBin}
            onClick={() => setInBin(!inBin)}
          >
            {inBin ? "Back to the songs" : "Bin"}
          </chakra.button>
        </chakra.p>
      </chakra.div>
    </chakra.main>
  );
}

type Act = <T>(call: Promise<{ data?: T }>) => Promise<T | undefined>;

function NewSong({ act }: { act: Act }) {
  const [name, setName] = useState("");
  const create = async () => {
    const state = await act(server.POST("/api/sessions", { body: { name: name.trim() } }));
    if (state) openSession(state.id);
  };
  return (
    <chakra.form
      display="flex"
      gap="8px"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) void create();
      }}
    >
      <chakra.input
        aria-label="Name of a new session"
        placeholder="Name of a new song"
        value={name}
        maxLength={200}
        width="200px"
        padding="0 8px"
        height="26px"
        border="1px solid"
        borderColor="edge"
        borderRadius="small"
        bg="card"
        onChange={(event) => setName(event.target.value)}
      />
      <PlainButton
        type="submit"
        disabled={!name.trim()}
        bg="ink"
        color="card"
        fontWeight="700"
        _hover={{ bg: "focus" }}
        _disabled={{ bg: "transparent", color: "quiet", cursor: "default" }}
      >
        New session
      </PlainButton>
    </chakra.form>
  );
}

/** Songs that nobody has measured yet are, one after the other; how far each is. */
function useMeasuring(songs: SessionListing[]): Map<string, number> {
  const { data: jobs = [] } = useJobs();
  const [asked, setAsked] = useState<ReadonlyMap<string, string>>(new Map());
  const under = new Map<string, number>();
  for (const job of jobs)
    if (job.title.startsWith("Measure ") && isUnderWay(job)) under.set(job.title.slice(8), job.progress);
  // What is measured for the list is given up for a song that is open: it is asked for again.
  const isAsked = (song: string) =>
    asked.has(song) && jobs.find((job) => job.id === asked.get(song))?.state !== "cancelled";
  const waiting = songs.find(
    (song) => !song.glance && !isAsked(song.id) && song.strips.some(({ kind }) => kind === "track"),
  )?.id;
  const isBusy = under.size > 0;
  useEffect(() => {
    if (isBusy) return;
    refreshSessions();
    if (!waiting) return;
    void answer(
      server.POST("/api/sessions/{session_id}/measurement", {
        params: { path: { session_id: waiting }, query: { steps_aside: true } },
      }),
    )
      .then(({ id }) => id)
      .catch(() => "refused")
      .then(async (job) => {
        await refreshJobs();
        setAsked((known) => new Map([...known, [waiting, job]]));
      });
  }, [waiting, isBusy]);
  return under;
}
