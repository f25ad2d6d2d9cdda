import { answer, server } from "../../api/client";
import { refreshPresets } from "../../api/queries";
import type { Preset, Processor } from "../../api/types";
import { useClipboard } from "../../app/clipboard";
import { report } from "../../app/SessionContext";
import { askName, notify } from "../../app/store";

export function copyProcessors(processors: Processor[]): void {
  useClipboard.setState({ processors });
  notify("done", processors.length === 1 ? "Copied." : `${processors.length} processors copied.`);
}

/** Keep processors as a preset under a name; a taken name gets a number. */
export async function savePreset(processors: Processor[], suggested: string): Promise<void> {
  const name = await askName("Save as preset", suggested);
  if (!name) return;
  try {
    const body = { format: "gemischt-preset" as const, name, processors };
    const kept = await answer(server.POST("/api/presets", { body }));
    refreshPresets();
    notify("done", `Preset ${kept.preset.name} saved.`);
  } catch (failure) {
    report(failure);
  }
}

/** Take a preset file in. */
export async function bringInPreset(file: File): Promise<void> {
  try {
    const body = JSON.parse(await file.text()) as Preset;
    const kept = await answer(server.POST("/api/presets", { body }));
    refreshPresets();
    notify("done", `Preset ${kept.preset.name} brought in.`);
  } catch (failure) {
    if (failure instanceof SyntaxError) {
      notify("error", `${file.name}: not a preset file`, "Choose a file saved by Gemischt.");
    } else report(failure);
  }
}
