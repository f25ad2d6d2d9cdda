import { useEffect } from "react";

import { useControllerState } from "./controller";
import { followStrip } from "./following";
import { drawOverTime } from "./moves";
import type { useActing } from "./SessionContext";
import { askWhich, useView } from "./store";

type Acting = ReturnType<typeof useActing>;

/** The menu of a control that may move over the song: what can be done with its parameter beside setting it. */
export function useControlMenu(acting: Acting): void {
  useEffect(() => {
    const onMenu = (event: MouseEvent) => {
      const control = (event.target as HTMLElement).closest<HTMLElement>("[data-address]");
      if (!control?.dataset.address) return;
      event.preventDefault();
      void choose(acting, control.dataset.address, control.getAttribute("aria-label") ?? "Control");
    };
    window.addEventListener("contextmenu", onMenu);
    return () => window.removeEventListener("contextmenu", onMenu);
  }, [acting]);
}

async function choose(acting: Acting, address: string, name: string): Promise<void> {
  const moves = acting.now().document.moves.some((move) => move.target === address);
  const chosen = await askWhich(name, [
    { value: "draw", label: moves ? "Show how it moves over the song" : "Draw over the song (V)" },
    ...(moves ? [{ value: "rest", label: "Let it rest" }] : []),
    { value: "follow", label: "Let the level of a strip move it…" },
    { value: "learn", label: "Lead it with a controller: choose this, then move a fader or strike a pad" },
  ]);
  if (chosen === "draw") await drawOverTime(acting, address);
  else if (chosen === "rest") await acting.edit({ type: "remove-moves", targets: [address] });
  else if (chosen === "follow") await followStrip(acting, address);
  else if (chosen === "learn") {
    useControllerState.setState({ learning: true, touched: address });
    useView.setState({ movesOpen: true });
  }
}
