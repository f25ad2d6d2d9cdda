import { Dialog, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

type PanelProps = { title: string; onClose: () => void; wide?: boolean; children: ReactNode };

/** A panel over the page that Escape closes. */
export function Panel({ title, onClose, wide, children }: PanelProps) {
  return (
    <Dialog.Root open onOpenChange={(change) => !change.open && onClose()}>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content maxWidth={wide ? "860px" : undefined}>
            <Dialog.Header>
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>{children}</Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
