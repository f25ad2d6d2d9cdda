import type { Session } from "../../api/types";
import type { Measured } from "../../app/measurement";
import type { Colors } from "../../canvas/colors";
import { barsAt, type BeatGrid } from "../../lib/beatGrid";

type Song = {
  durationS: number;
  sections: Session["sections"];
  measured: Measured | null;
  loopS: [number, number] | null;
  grid: BeatGrid;
  moves: Session["moves"];
};

const TOP_PX = 20;
const SWITCHED_PX = 2;
const MOST_SWITCHED = 4;
const BOTTOM_PX = 13;
const LOUDEST_LUFS = -6;
const SOFTEST_LUFS = -42;

/** Sections, wave, loudness, loop. */
export function paintSong(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  song: Song,
): void {
  const x = (timeS: number) => (timeS / song.durationS) * widthPx;
  const base = heightPx - BOTTOM_PX;
  if (song.loopS) {
    const [from, to] = song.loopS;
    context.fillStyle = colors.wash;
    context.fillRect(x(from), 0, x(to) - x(from), heightPx);
    context.fillStyle = colors.focus;
    context.fillRect(x(from), 0, x(to) - x(from), 2);
    context.fillRect(x(from), 0, 1.5, heightPx);
    context.fillRect(x(to) - 1.5, 0, 1.5, heightPx);
  }
  context.fillStyle = colors.rule;
  song.sections.forEach((section) => context.fillRect(x(section.start_s), 0, 1, heightPx));
  context.fillStyle = colors.quiet;
  context.font = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
  song.sections.forEach((section) => {
    const bar = Math.round(barsAt(song.grid, section.start_s)) + 1;
    context.fillText(String(bar), x(section.start_s) + 4, heightPx - 3);
  });
  paintSwitched(context, x, colors, song);
  const overview = song.measured;
  if (!overview) return;
  const shown = overview.duration_s / song.durationS;
  const tall = base - TOP_PX;
  context.globalAlpha = 0.55;
  overview.peaks.forEach((peak, index) => {
    const at = (index / overview.peaks.length) * widthPx * shown;
    const high = Math.min(1, peak) ** 0.6 * tall;
    context.fillRect(at, base - high, 1, high);
  });
  context.globalAlpha = 1;
  context.strokeStyle = colors.ink;
  context.lineWidth = 1.3;
  context.beginPath();
  overview.short_term_lufs.forEach((level, index) => {
    const at = (index / overview.short_term_lufs.length) * widthPx * shown;
    const share = Math.min(1, Math.max(0, (level - SOFTEST_LUFS) / (LOUDEST_LUFS - SOFTEST_LUFS)));
    context.lineTo(at, base - share * tall);
  });
  context.stroke();
}

/** Where what works only in places is on: ducks, followers and processors whose switch moves, a line each. */
function paintSwitched(
  context: CanvasRenderingContext2D,
  x: (timeS: number) => number,
  colors: Colors,
  song: Song,
): void {
  context.save();
  const switched = song.moves.filter((move) => move.on && move.target.endsWith("/on"));
  switched.slice(0, MOST_SWITCHED).forEach((move, row) => {
    context.fillStyle = move.target.startsWith("followers/") ? colors.follow : colors.key;
    const points = [{ at_s: 0, value: move.points[0]?.value ?? false }, ...move.points];
    points.forEach((point, index) => {
      const endS = points[index + 1]?.at_s ?? song.durationS;
      if (point.value)
        context.fillRect(
          x(point.at_s),
          TOP_PX + row * (SWITCHED_PX + 1),
          x(endS) - x(point.at_s),
          SWITCHED_PX,
        );
    });
  });
  context.restore();
}
