import { create } from "zustand";

import type { Snap } from "../lib/beatGrid";
import type { Stage } from "../live/frames";

export const STATIONS = ["Tidy", "Level", "Route", "Duck", "Place", "Print"] as const;
export type Station = (typeof STATIONS)[number];

export const LEVEL_FACES = ["rows", "gain ladder"] as const;

export const LANE_TOOLS = ["points", "freehand"] as const;
export type LaneTool = (typeof LANE_TOOLS)[number];

export type Notice = { id: number; tone: "error" | "done"; what: string; remedy: string };

export type Question = { title: string; initial: string; answer: (name: string | null) => void };

/** One of a few, asked for when an edit cannot decide alone. */
export type Decision = {
  title: string;
  options: { value: string; label: string }[];
  answer: (value: string | null) => void;
};

type View = {
  station: Station;
  focused: string;
  selected: ReadonlySet<string>;
  /** Where a selection that is extended began. */
  anchor: string;
  stage: Stage;
  /** Whether the focus sheet is folded, by station. */
  sheetFolded: Record<Station, boolean>;
  /** What the Level station shows. */
  levelFace: (typeof LEVEL_FACES)[number];
  /** Folders whose members are not shown. */
  foldedFolders: ReadonlySet<string>;
  /** Whether the drawer of moves is open. */
  movesOpen: boolean;
  /** Whether a pointer in a lane moves points or draws freehand, and what times it keeps to. */
  laneTool: LaneTool;
  laneSnap: Snap;
  dialog:
    | "finder"
    | "keys"
    | "rename"
    | "delete"
    | "color"
    | "presets"
    | "findings"
    | "reference"
    | "snapshots"
    | "tempo"
    | null;
  question: Question | null;
  decision: Decision | null;
  notices: Notice[];
};

/** What this page is looking at; nothing of it is part of the session. */
export const useView = create<View>(() => ({
  station: "Level",
  focused: "",
  selected: new Set(),
  anchor: "",
  stage: "pre-fader",
  sheetFolded: { Tidy: true, Level: false, Route: true, Duck: true, Place: true, Print: true },
  levelFace: "rows",
  foldedFolders: new Set(),
  movesOpen: false,
  laneTool: "points",
  laneSnap: "beat",
  dialog: null,
  question: null,
  decision: null,
  notices: [],
}));

/** Ask for a name; null if the user thinks better of it. */
export function askName(title: string, initial: string): Promise<string | null> {
  return new Promise((resolve) => {
    useView.setState({
      question: {
        title,
        initial,
        answer: (name) => {
          useView.setState({ question: null });
          resolve(name);
        },
      },
    });
  });
}

/** Ask which of a few; null if the user thinks better of it. */
export function askWhich(title: string, options: Decision["options"]): Promise<string | null> {
  return new Promise((resolve) => {
    useView.setState({
      decision: {
        title,
        options,
        answer: (value) => {
          useView.setState({ decision: null });
          resolve(value);
        },
      },
    });
  });
}

export function show(station: Station): void {
  useView.setState({ station });
}

/** Focus a strip, which is selected alone. */
export function focusStrip(id: string): void {
  useView.setState({ focused: id, selected: new Set([id]), anchor: id });
}

export function selectStrips(ids: string[], focused: string): void {
  useView.setState({ selected: new Set(ids), focused, anchor: focused });
}

/** The gain ladder needs the width of the focus sheet. */
export function showLevelFace(levelFace: View["levelFace"]): void {
  useView.setState(({ sheetFolded }) => ({
    levelFace,
    sheetFolded: { ...sheetFolded, Level: levelFace === "gain ladder" },
  }));
}

export function foldSheet(): void {
  useView.setState(({ station, sheetFolded }) => ({
    sheetFolded: { ...sheetFolded, [station]: !sheetFolded[station] },
  }));
}

export function foldFolder(folder: string): void {
  const next = new Set(useView.getState().foldedFolders);
  if (!next.delete(folder)) next.add(folder);
  useView.setState({ foldedFolders: next });
}

let notices = 0;

export function notify(tone: Notice["tone"], what: string, remedy = ""): void {
  notices += 1;
  const notice = { id: notices, tone, what, remedy };
  useView.setState((view) => ({ notices: [...view.notices.slice(-3), notice] }));
  if (tone === "done") setTimeout(() => dismiss(notice.id), 4000);
}

export function dismiss(id: number): void {
  useView.setState((view) => ({ notices: view.notices.filter((notice) => notice.id !== id) }));
}
