import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { PrintedFile } from "../../api/types";
import { formatDb, formatTime } from "../../lib/format";
import { PrintedDetails } from "./PrintedDetails";
import { verdictWords } from "./prints";

/** Everything that was printed, the newest first. */
export function PrintedList({ files, askedLufs }: { files: PrintedFile[]; askedLufs: number | null }) {
  const done = files.filter((file) => file.state === "done");
  const [chosen, setChosen] = useState("");
  const shown = done.find((file) => file.id === chosen) ?? done[0];
  if (!done.length)
    return (
      <chakra.p padding="24px" color="quiet">
        Nothing printed yet. What is printed appears here with what it measures, and stays until it is
        deleted.
      </chakra.p>
    );
  return (
    <>
      <chakra.div role="table" aria-label="Printed" flex="1 1 auto" minHeight="120px" overflowY="auto">
        {done.map((file) => {
          const figures = file.result;
          return (
            <chakra.div
              key={file.id}
              role="row"
              tabIndex={0}
              aria-selected={file === shown}
              display="grid"
              gridTemplateColumns="minmax(0, 1fr) 90px 62px 56px 56px 190px"
              gap="8px"
              alignItems="center"
              height="30px"
              padding="0 12px"
              borderBottom="1px solid"
              borderColor="rule"
              bg={file === shown ? "wash" : "transparent"}
              cursor="pointer"
              onClick={() => setChosen(file.id)}
              onKeyDown={(event) => event.key === "Enter" && setChosen(file.id)}
            >
              <chakra.span role="cell" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {file.file_name}
              </chakra.span>
              <chakra.span role="cell" color="quiet">
                edit {file.edit}
              </chakra.span>
              <chakra.span role="cell" textStyle="number" textAlign="right">
                {formatTime(figures?.summary.duration_s ?? 0)}
              </chakra.span>
              <chakra.span role="cell" textStyle="number" textAlign="right">
                {formatDb(figures?.summary.integrated_lufs ?? null)}
              </chakra.span>
              <chakra.span role="cell" textStyle="number" textAlign="right">
                {formatDb(figures?.summary.true_peak_dbtp ?? null)}
              </chakra.span>
              <chakra.span role="cell" fontSize="small">
                {file.verdict && verdictWords(file.verdict)}
              </chakra.span>
            </chakra.div>
          );
        })}
      </chakra.div>
      {shown && <PrintedDetails key={shown.id} made={[shown]} all={done} askedLufs={askedLufs} />}
    </>
  );
}
