import { useEffect } from "react";

import { commandsOf, keyName, moveFocus } from "./commands";
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
      const typing = target.closest("input, textarea, select, [role=dialog], [role=menu]");
      const name = keyName(event);
      if (useView.getState().dialog || useView.getState().question) return;
      if (typing && !(name.startsWith("Ctrl+") && !(target as HTMLInputElement).value)) return;
      if (event.defaultPrevented) return;
      const onControl = target.closest("button, [role=slider], [role=spinbutton]");
      if (
        onControl &&
        (name === "Space" || name === "Enter" || name === "↑" || name === "↓") &&
        name !== "Space"
      )
        return;
      if (name === "Shift+↑" || name === "Shift+↓") {
        moveFocus(open, name.endsWith("↑") ? -1 : 1, true);
        event.preventDefault();
        return;
      }
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
