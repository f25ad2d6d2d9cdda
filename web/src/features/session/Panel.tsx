import { Dialog, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

type PanelProps = { title: string; onClose: () => void; wide?: boolean; children: ReactNode };

/** A panel over the page that Escape closes. */
export function Panel({ title, onClose, wide, children }: PanelProps) {
  return (
    <Dialog.Root open onOpenChange={(change) => !change.open && onClose()} placement="top">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content
            bg="card"
            color="ink"
            borderRadius="small"
            border="1px solid"
            borderColor="edge"
            shadow="none"
            maxWidth={wide ? "860px" : undefined}
          >
            <Dialog.Header padding="14px 16px 6px">
              <Dialog.Title fontSize="title">{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body padding="6px 16px 16px">{children}</Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
