import { chakra } from "@chakra-ui/react";

import { PlainButton } from "../../controls/PlainButton";
import { forget, useIncoming } from "./useImport";
import { SignButton } from "../../controls/SignButton";

/** Files on their way in, each with its progress or the reason it was refused. */
export function IncomingFiles() {
  const { files, stop } = useIncoming();
  if (!files.length) return null;
  return (
    <chakra.ul
      listStyleType="none"
      padding="8px 12px"
      borderBottom="1px solid"
      borderColor="rule"
      bg="card"
      aria-label="Incoming files"
    >
      {files.map((file) => (
        <chakra.li key={file.id} display="flex" gap="8px" alignItems="center" minHeight="target">
          <chakra.strong maxWidth="260px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {file.name}
          </chakra.strong>
          {file.problem ? (
            <>
              <chakra.span role="alert" color="over" flex="1">
                ⚠ {file.problem}
              </chakra.span>
              <SignButton label={`Dismiss ${file.name}`} onClick={() => forget(file.id)} />
            </>
          ) : (
            <chakra.progress max={1} value={file.share} aria-label={`Progress of ${file.name}`} />
          )}
        </chakra.li>
      ))}
      {stop && <PlainButton onClick={stop}>Stop</PlainButton>}
    </chakra.ul>
  );
}
