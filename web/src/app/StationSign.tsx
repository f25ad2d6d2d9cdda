import type { Station } from "./store";

const PATHS: Record<Station, string> = {
  Tidy: "M4 5h16M8 10h12M8 15h12M4 20h16",
  Level: "M3 7h10M17 7h4M15 4v6M3 13h4M11 13h10M9 10v6M3 19h12M19 19h2M17 16v6",
  Route: "M3 5c8 0 8 7 18 7M3 19c8 0 8-7 18-7M3 12h18",
  Duck: "M3 6h5l4 12 4-12h5M3 21h2M8 21h2M13 21h2M18 21h2",
  Place: "M4 15a8 8 0 0 1 16 0M8 15a4 4 0 0 1 8 0M12 19v2",
  Print: "M5 3h14v18H5zM9 10v5M12 8v9M15 10v5",
};

/** A small drawing of what a station is for. */
export function StationSign({ station }: { station: Station }) {
  return (
    <svg
      width="22"
      height="22"
      viewBox="0 0 24 24"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.6"
      aria-hidden
    >
      <path d={PATHS[station]} />
    </svg>
  );
}
