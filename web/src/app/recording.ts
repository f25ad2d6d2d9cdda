import { create } from "zustand";

import type { Wish } from "../api/types";
import type { Value } from "../controls/overTime";
import type { useActing } from "./SessionContext";

type Acting = ReturnType<typeof useActing>;
type Point = { at_s: number; value: Value };
export type Stroke = { target: string; points: Point[]; open: boolean };
type Note = { at_s: number; pitch: number; velocity: number };
export type Quantum = "1/4" | "1/8" | "1/16" | null;

type Recording = {
  /** Whether what is moved while playing is recorded. */
  armed: boolean;
  /** What has been recorded since playing began; drawn over what was there. */
  strokes: readonly Stroke[];
  notes: readonly Note[];
  quantum: Quantum;
};

export const useRecording = create<Recording>(() => ({
  armed: false,
  strokes: [],
  notes: [],
  quantum: null,
}));

/** What a control that is being recorded is held at; undefined if it is not. */
export function recordedNow(target: string): Value | undefined {
  const { strokes } = useRecording.getState();
  return strokes.find((stroke) => stroke.open && stroke.target === target)?.points.at(-1)?.value;
}

const FOLLOW_MS = 40;
const PREVIEW_MS = 80;
/** So far ahead a control that is held is heard. */
const HELD_S = 30;
/** How long after a control is let go of the old curve is reached again. */
const RETURN_S = 0.2;
const JUMPED_S = 0.05;
const SHORTEST_S = 0.002;
const NOTES_NAME = "Pads";

/**
 * Records controls and pads while the song plays: a stroke from where a control is first moved to where it is let go.
 * When playing ends, all of it becomes one edit.
 */
export class Recorder {
  private timer = 0;
  private reachedS = 0;
  private previewedAt = 0;
  private wasPlaying = false;

  constructor(private acting: Acting) {}

  /** Watch the transport; what is returned ends that and keeps what was recorded. */
  begin(): () => void {
    const leave = this.acting.live.transport.subscribe(() => this.onTransport());
    this.onTransport();
    return () => {
      leave();
      this.finish();
    };
  }

  get isRecording(): boolean {
    return useRecording.getState().armed && this.acting.live.transport.get().playing;
  }

  /** A control is moved to a value; false if nothing is being recorded. */
  touch(target: string, value: Value): boolean {
    if (!this.isRecording) return false;
    this.follow();
    const point = { at_s: this.reachedS, value };
    const { strokes } = useRecording.getState();
    const known = strokes.some((stroke) => stroke.open && stroke.target === target);
    const next = known
      ? strokes.map((stroke) =>
          stroke.open && stroke.target === target
            ? { ...stroke, points: withPoint(stroke.points, point) }
            : stroke,
        )
      : [...strokes, { target, points: [point], open: true }];
    useRecording.setState({ strokes: next });
    this.preview();
    return true;
  }

  /** It is let go of; false if nothing of it was recorded. */
  letGo(target: string): boolean {
    const { strokes } = useRecording.getState();
    if (!strokes.some((stroke) => stroke.open && stroke.target === target)) return false;
    this.follow();
    this.close((stroke) => stroke.target === target);
    this.preview(true);
    return true;
  }

  /** A pad or a key is struck. */
  strike(pitch: number, velocity: number): boolean {
    if (!this.isRecording) return false;
    const note = { at_s: this.acting.live.positionS(), pitch, velocity };
    useRecording.setState(({ notes }) => ({ notes: [...notes, note] }));
    return true;
  }

  /** Keep what was recorded, in one edit. */
  finish(): void {
    clearInterval(this.timer);
    this.timer = 0;
    this.close(() => true);
    const { notes, quantum } = useRecording.getState();
    const strokes = this.strokesToKeep();
    useRecording.setState({ strokes: [], notes: [] });
    const actions: Exclude<Wish, { type: "together" }>[] = [];
    if (strokes.length) actions.push({ type: "draw-moves", strokes, recorded: true, return_s: RETURN_S });
    if (notes.length) actions.push({ type: "add-notes", name: NOTES_NAME, notes: [...notes], quantum });
    const [first] = actions;
    if (!first) return;
    void this.keep(
      actions.length > 1 ? { type: "together", title: titleOf(strokes, notes), actions } : first,
    );
  }

  /** What was played cannot be played again the same: if another edit came between, it is tried once more. */
  private async keep(action: Wish): Promise<void> {
    if (!(await this.acting.edit(action))) await this.acting.edit(action);
  }

  private onTransport(): void {
    const { playing } = this.acting.live.transport.get();
    if (playing === this.wasPlaying) return;
    this.wasPlaying = playing;
    if (playing) {
      this.reachedS = this.acting.live.positionS();
      this.timer ||= window.setInterval(() => this.follow(), FOLLOW_MS);
    } else this.finish();
  }

  /** See how far the song is; where it has jumped, strokes end and go on from there. */
  private follow(): void {
    if (!this.acting.live.transport.get().playing) return;
    const positionS = this.acting.live.positionS();
    if (positionS < this.reachedS - JUMPED_S) {
      const held = useRecording.getState().strokes.filter((stroke) => stroke.open);
      this.close(() => true);
      const again = held.map(({ target, points }) => ({
        target,
        points: [{ at_s: positionS, value: points.at(-1)?.value ?? null }],
        open: true,
      }));
      useRecording.setState(({ strokes }) => ({ strokes: [...strokes, ...again] }));
    }
    this.reachedS = positionS;
  }

  private close(which: (stroke: Stroke) => boolean): void {
    useRecording.setState(({ strokes }) => ({
      strokes: strokes.map((stroke) =>
        stroke.open && which(stroke)
          ? { ...stroke, open: false, points: held(stroke.points, this.reachedS) }
          : stroke,
      ),
    }));
  }

  private strokesToKeep(): { target: string; points: Point[] }[] {
    return useRecording
      .getState()
      .strokes.filter((stroke) => stroke.points.length > 1)
      .map(({ target, points }) => ({ target, points }));
  }

  /** Let it be heard as it would be kept now. */
  private preview(atOnce = false): void {
    const now = performance.now();
    if (!atOnce && now - this.previewedAt < PREVIEW_MS) return;
    this.previewedAt = now;
    const strokes = useRecording.getState().strokes.map(({ target, points, open }) => ({
      target,
      points: open ? held(points, this.reachedS + HELD_S) : points,
    }));
    this.acting.live.preview({
      type: "draw-moves",
      strokes: strokes.filter((stroke) => stroke.points.length > 1),
      recorded: true,
      return_s: RETURN_S,
    });
  }
}

function titleOf(strokes: readonly unknown[], notes: readonly unknown[]): string {
  return `Recorded: ${counted(strokes.length, "stroke")}, ${counted(notes.length, "note")}`;
}

/** "3 notes" */
export function counted(count: number, thing: string): string {
  return `${count} ${thing}${count === 1 ? "" : "s"}`;
}

function withPoint(points: Point[], point: Point): Point[] {
  const last = points.at(-1);
  if (!last || point.at_s > last.at_s) {
    // A control that rested for a while leaves a step where it goes on.
    return typeof point.value === "boolean" && last
      ? [...points, { at_s: point.at_s, value: last.value }, point]
      : [...points, point];
  }
  return [...points.slice(0, -1), { ...last, value: point.value }];
}

/** The last value held until a time. */
function held(points: Point[], untilS: number): Point[] {
  const last = points.at(-1);
  if (!last) return points;
  const endS = Math.max(untilS, last.at_s + (points.length < 2 ? SHORTEST_S : 0));
  return endS > last.at_s ? [...points, { at_s: endS, value: last.value }] : points;
}
