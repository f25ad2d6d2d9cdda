import { chakra } from "@chakra-ui/react";
import { useMemo } from "react";

import { useFlow } from "../../api/queries";
import { makeReturn } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { foldFolder, useView } from "../../app/store";
import { ActionMenu } from "../../controls/ActionMenu";
import { PlainButton } from "../../controls/PlainButton";
import { StationBar } from "../../controls/StationBar";
import { connect } from "./connecting";
import { FlowView } from "./FlowView";
import { Ledger } from "./Ledger";

/** How every strip reaches the mix: drawn, and added up. */
export function Route() {
  const open = useOpen();
  const { state, strips, edit } = open;
  const focused = useView((view) => view.focused);
  const foldedFolders = useView((view) => view.foldedFolders);
  const folders = state.document.folders;
  const folded = useMemo(
    () => folders.filter((folder) => foldedFolders.has(folder.id)).map((folder) => folder.id),
    [folders, foldedFolders],
  );
  const { data: flow } = useFlow(state.id, state.revision, folded);
  const strip = strips.get(focused);
  const goals = [...strips.values()].filter((other) => other.id !== focused);
  const takers = goals.filter((other) => other.kind !== "track" && other.kind !== "ghost");
  const listed = (options: typeof goals) => options.map((other) => ({ value: other.id, label: other.name }));
  return (
    <chakra.div height="100%" display="flex" flexDirection="column">
      <StationBar>
        <span>
          <chakra.span color="quiet">lit:</chakra.span> <strong>{strip?.name ?? "nothing"}</strong>
        </span>
        <Legend />
        <chakra.div flex="1" />
        {folders.map((folder) => (
          <PlainButton
            key={folder.id}
            height="target"
            padding="0 6px"
            aria-pressed={foldedFolders.has(folder.id)}
            onClick={() => foldFolder(folder.id)}
          >
            {foldedFolders.has(folder.id) ? "▸" : "▾"} {folder.name}
          </PlainButton>
        ))}
        {strip && strip.kind !== "mix" && (
          <>
            <ActionMenu
              label="Play into"
              text="Play into"
              items={[...listed(takers), { value: "nowhere", label: "nowhere" }]}
              onSelect={(goal) =>
                void edit({
                  type: "set-output",
                  strips: [strip.id],
                  output: goal === "nowhere" ? null : goal,
                })
              }
            />
            <ActionMenu
              label="Send to"
              text="Send to"
              color="send"
              items={listed(takers)}
              onSelect={(goal) => void edit({ type: "add-send", strips: [strip.id], to: goal })}
            />
            <ActionMenu
              label="Connect to"
              text="Connect to"
              items={listed(goals)}
              onSelect={(goal) => void connect(open, strip.id, goal)}
            />
          </>
        )}
        <PlainButton height="target" onClick={() => void makeReturn(open, "reverb")}>
          New return…
        </PlainButton>
      </StationBar>
      {flow && <FlowView flow={flow} />}
      {strip && <Ledger key={strip.id} strip={strip} />}
    </chakra.div>
  );
}

function Legend() {
  return (
    <chakra.span display="flex" gap="12px" color="quiet" alignItems="center">
      {(
        [
          ["output", "ink", "solid"],
          ["send", "send", "dashed"],
          ["key", "key", "dotted"],
        ] as const
      ).map(([word, color, line]) => (
        <chakra.span key={word} display="inline-flex" gap="5px" alignItems="center">
          <chakra.span width="24px" borderTop={`2px ${line}`} borderColor={color} />
          {word}
        </chakra.span>
      ))}
      <span>ribbons: peak after the fader</span>
    </chakra.span>
  );
}
