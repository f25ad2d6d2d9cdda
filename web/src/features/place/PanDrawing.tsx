import { chakra } from "@chakra-ui/react";

import type { Strip } from "../../api/types";

const WORDS: Record<Strip["pan"]["mode"], string> = {
  balance: "Turns one side down: what is only there is lost.",
  fold: "Carries one side over into the other: nothing is lost.",
  "two-handed": "Each side has a place of its own.",
  around: "Among the loudspeakers of a bed, by azimuth, elevation and spread.",
};
const WIDTH_PX = 200;
const HEIGHT_PX = 64;

/** What happens to left and right: a line from each to where it goes, as thick as what goes there. */
export function PanDrawing({ strip, gains }: { strip: Strip; gains: number[][] | undefined }) {
  if (!gains) return null;
  const x = (side: number, of: number) => (of < 2 ? WIDTH_PX / 2 : side === 0 ? 30 : WIDTH_PX - 30);
  const names = ["L", "R"];
  const columns = gains[0]?.length ?? 0;
  return (
    <chakra.figure margin="0">
      <chakra.svg
        width={`${WIDTH_PX}px`}
        height={`${HEIGHT_PX}px`}
        role="img"
        aria-label={`${strip.name}: what goes where`}
        fontSize="small"
      >
        {gains.flatMap((row, out) =>
          row.map((gain, source) => (
            <chakra.line
              key={`${out}${source}`}
              x1={x(source, columns)}
              y1={16}
              x2={x(out, 2)}
              y2={HEIGHT_PX - 16}
              stroke={source === out || columns < 2 ? "ink" : "send"}
              strokeWidth={Math.max(0, 6 * Math.abs(gain))}
              strokeDasharray={gain < 0 ? "3 3" : undefined}
              opacity={Math.abs(gain) < 1e-4 ? 0 : 0.8}
            />
          )),
        )}
        {Array.from({ length: columns }, (_, source) => (
          <chakra.text key={source} x={x(source, columns)} y={11} textAnchor="middle" fill="quiet">
            {columns < 2 ? "one channel" : `${names[source]} in`}
          </chakra.text>
        ))}
        {names.map((name, out) => (
          <chakra.text key={name} x={x(out, 2)} y={HEIGHT_PX - 3} textAnchor="middle" fill="quiet">
            {name} out
          </chakra.text>
        ))}
      </chakra.svg>
      <chakra.figcaption color="quiet" fontSize="small">
        {WORDS[strip.pan.mode]}
      </chakra.figcaption>
    </chakra.figure>
  );
}
