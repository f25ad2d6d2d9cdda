import type { Pan, Strip } from "../../api/types";
import type { StagePlace } from "./report";
import { turnedBy } from "./bedGeometry";
import { panAt } from "./setting";

/** Where left and right of two channels stand in a bed. */
const SIDE_DEG = 30;
const clamp = (value: number, least: number, most: number) => Math.max(least, Math.min(most, value));

export type Around = { azimuthDeg: number; elevationDeg: number; spreadDeg: number };

export const isAround = (strip: Pick<Strip, "pan">) => strip.pan.mode === "around";

/** Where a strip is set to stand in a bed: between left and right it is in front. */
export function aroundAsSet({ pan, width }: Pick<Strip, "pan" | "width">, nChannels: number): Around {
  const pair = nChannels > 1 ? 2 * SIDE_DEG * Math.min(1, width) : 0;
  if (pan.mode === "around")
    return {
      azimuthDeg: pan.azimuth_deg,
      elevationDeg: pan.elevation_deg,
      spreadDeg: Math.max(pan.spread_deg, pair),
    };
  return { azimuthDeg: -SIDE_DEG * pan.position, elevationDeg: 0, spreadDeg: pair };
}

/** Where it is heard, if that is known. */
export function aroundAsHeard(place: StagePlace | undefined): Around | null {
  if (!place?.bed) return null;
  const { azimuth_deg, elevation_deg, spread_deg } = place.bed;
  return { azimuthDeg: azimuth_deg, elevationDeg: elevation_deg, spreadDeg: spread_deg ?? 0 };
}

/** A pan turned, raised and spread by so much; what is panned between left and right moves between them. */
export function movedAround(pan: Pan, by: Partial<Around>): Pan {
  if (pan.mode !== "around") return panAt(pan, -(by.azimuthDeg ?? 0) / SIDE_DEG);
  return {
    ...pan,
    azimuth_deg: turnedBy(pan.azimuth_deg, by.azimuthDeg ?? 0),
    elevation_deg: Math.round(10 * clamp(pan.elevation_deg + (by.elevationDeg ?? 0), -90, 90)) / 10,
    spread_deg: Math.round(10 * clamp(pan.spread_deg + (by.spreadDeg ?? 0), 0, 360)) / 10,
  };
}

/** "30° left, 20° up". */
export function aroundWords({
  azimuthDeg,
  elevationDeg,
}: Pick<Around, "azimuthDeg" | "elevationDeg">): string {
  const turned = Math.round(Math.abs(azimuthDeg));
  const side = azimuthDeg > 0 ? "left" : "right";
  const words = [turned === 0 ? "front" : turned === 180 ? "behind" : `${turned}° ${side}`];
  const raised = Math.round(Math.abs(elevationDeg));
  if (raised) words.push(`${raised}° ${elevationDeg > 0 ? "up" : "down"}`);
  return words.join(", ");
}
