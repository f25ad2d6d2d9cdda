import type { useOpen } from "./SessionContext";
import { askName, notify } from "./store";

type Open = Pick<ReturnType<typeof useOpen>, "edit" | "live" | "state">;

/** Make the loop a section, asking for its name. */
export async function nameLoop({ edit, live, state }: Open): Promise<void> {
  const { loopS } = live.transport.get();
  if (!loopS) {
    notify(
      "error",
      "There is no loop.",
      "Drag over the song line first; what is looped becomes the section.",
    );
    return;
  }
  const name = await askName("New section", `Section ${state.document.sections.length + 1}`);
  if (name) await edit({ type: "add-section", name, start_s: loopS[0], end_s: loopS[1] });
}

/** Another name for a section. */
export async function renameSection({ edit, state }: Open, index: number): Promise<void> {
  const section = state.document.sections[index];
  const name = section && (await askName("Name of the section", section.name));
  if (name) await edit({ type: "set-section", index, name });
}
