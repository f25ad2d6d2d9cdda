import { chakra } from "@chakra-ui/react";

import { formatHz, formatNumber } from "../../lib/format";

const WIDTH_PX = 96;
const HALF_PX = 28;

type BandCorrelationProps = { bandsHz: number[]; correlations: (number | null)[]; stale: boolean };

/** How alike left and right are, band by band: up for alike, down for opposed, nothing where nothing sounds. */
export function BandCorrelation({ bandsHz, correlations, stale }: BandCorrelationProps) {
  const stepPx = WIDTH_PX / Math.max(1, bandsHz.length);
  const lowest = correlations.reduce<number>(
    (found, value, band) => (value !== null && value < (correlations[found] ?? 2) ? band : found),
    -1,
  );
  const least = correlations[lowest];
  const words =
    least == null ? "silent" : `least ${formatNumber(least, 2)} at ${formatHz(bandsHz[lowest] ?? 0)} Hz`;
  return (
    <chakra.figure margin="0" opacity={stale ? 0.5 : 1} whiteSpace="nowrap">
      <chakra.figcaption color="quiet">correlation by band</chakra.figcaption>
      <chakra.svg
        width={`${WIDTH_PX}px`}
        height={`${2 * HALF_PX}px`}
        role="img"
        aria-label={`Correlation by band: ${words}`}
      >
        <title>{words}</title>
        <chakra.line x1={0} x2={WIDTH_PX} y1={HALF_PX} y2={HALF_PX} stroke="edge" />
        {correlations.map((value, band) =>
          value === null ? null : (
            <chakra.rect
              key={bandsHz[band]}
              x={band * stepPx}
              y={HALF_PX - Math.max(0, value) * HALF_PX}
              width={stepPx - 1}
              height={Math.max(1, Math.abs(value) * HALF_PX)}
              fill={value < 0 ? "over" : "under"}
            />
          ),
        )}
      </chakra.svg>
    </chakra.figure>
  );
}
