import { useEffect } from "react";

import { commandsOf, keyName } from "./commands";
import { useOpen } from "./SessionContext";
import { useView } from "./store";

/** The keyboard, wherever nothing is being typed. */
export function useKeys(): void {
  const open = useOpen();
  useEffect(() => {
    const commands = new Map(
      commandsOf(open).flatMap((command) => (command.keys ? [[command.keys, command]] : [])),
    );
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      const name = keyName(event);
      const { dialog, question, decision } = useView.getState();
      if (dialog || question || decision) return;
      if (
        event.defaultPrevented ||
        target.closest("input:not([type=checkbox]), textarea, [role=dialog], [role=menu]")
      )
        return;
      // A list of choices keeps its plain keys; everything else leaves Space to the transport and is pressed by Enter.
      if (target.closest("select") && !name.startsWith("Ctrl+")) return;
      const command = commands.get(name);
      if (command) {
        command.run();
        event.preventDefault();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [open]);
}
