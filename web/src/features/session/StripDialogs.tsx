import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, server } from "../../api/client";
import { selectedStrips } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { stripColors } from "../../theme/tokens";
import { Panel } from "./Panel";

const close = () => useView.setState({ dialog: null });

/** Dialogs about the selected strips: names, colour, deletion. */
export function StripDialogs() {
  const dialog = useView((view) => view.dialog);
  if (dialog === "rename") return <Rename />;
  if (dialog === "color") return <Colour />;
  return dialog === "delete" ? <Delete /> : null;
}

const WAYS = ["by list", "by pattern"] as const;

function Rename() {
  const open = useOpen();
  const strips = selectedStrips(open.state);
  const [way, setWay] = useState<(typeof WAYS)[number]>(strips.length > 1 ? "by pattern" : "by list");
  const [list, setList] = useState(strips.map((strip) => strip.name).join("\n"));
  const [pattern, setPattern] = useState("Track #");
  const [first, setFirst] = useState(1);
  const names = list
    .split("\n")
    .map((name) => name.trim())
    .filter(Boolean);
  const fits = way === "by pattern" ? pattern.trim() !== "" : names.length === strips.length;
  const rename = () => {
    close();
    const how = way === "by list" ? { names } : { pattern, first };
    void open.edit({ type: "rename-strips", strips: strips.map((strip) => strip.id), ...how });
  };
  return (
    <Panel title={`Rename ${strips.length} strip${strips.length === 1 ? "" : "s"}`} onClose={close}>
      <Segments label="How" options={WAYS} value={way} onChange={setWay} />
      {way === "by list" ? (
        <>
          <chakra.textarea
            aria-label="Names, one a line"
            rows={Math.min(12, Math.max(3, strips.length))}
            value={list}
            width="100%"
            marginTop="8px"
            padding="6px 8px"
            border="1px solid"
            borderColor="edge"
            bg="sheet"
            userSelect="text"
            onChange={(event) => setList(event.target.value)}
          />
          <chakra.p color={fits ? "quiet" : "over"} fontSize="small">
            {names.length} names for {strips.length} strips
          </chakra.p>
        </>
      ) : (
        <chakra.div display="flex" gap="8px" alignItems="center" marginTop="8px">
          <chakra.input
            aria-label="Pattern"
            value={pattern}
            flex="1"
            padding="6px 8px"
            border="1px solid"
            borderColor="edge"
            bg="sheet"
            onChange={(event) => setPattern(event.target.value)}
          />
          # from
          <chakra.input
            aria-label="First number"
            type="number"
            min={0}
            value={first}
            width="64px"
            padding="6px 8px"
            border="1px solid"
            borderColor="edge"
            bg="sheet"
            onChange={(event) => setFirst(Number(event.target.value))}
          />
        </chakra.div>
      )}
      <Buttons word="Rename" disabled={!fits} onDone={rename} />
    </Panel>
  );
}

function Colour() {
  const open = useOpen();
  const strips = selectedStrips(open.state);
  const paint = (color: string) => {
    close();
    void open.edit({ type: "set-strips", changes: strips.map((strip) => ({ strip: strip.id, color })) });
  };
  return (
    <Panel title={`Colour of ${strips.length} strip${strips.length === 1 ? "" : "s"}`} onClose={close}>
      <chakra.div display="flex" gap="8px" flexWrap="wrap">
        {Object.entries(stripColors).map(([name, color]) => (
          <chakra.button
            key={name}
            type="button"
            aria-label={name}
            title={name}
            width="52px"
            height="32px"
            borderRadius="small"
            border="1px solid"
            borderColor="edge"
            cursor="pointer"
            style={{ background: color }}
            onClick={() => paint(color)}
          />
        ))}
      </chakra.div>
    </Panel>
  );
}

function Delete() {
  const open = useOpen();
  const strips = selectedStrips(open.state).filter((strip) => strip.kind !== "mix");
  const ids = strips.map((strip) => strip.id);
  const { data: said } = useQuery({
    queryKey: ["references", open.state.id, open.state.revision, ids],
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/references", {
          params: { path: { session_id: open.state.id }, query: { strips: ids } },
        }),
      ),
  });
  const remove = () => {
    close();
    void open.edit({ type: "remove-strips", strips: ids });
  };
  const names = strips.map((strip) => strip.name).join(", ");
  return (
    <Panel title={`Delete ${strips.length === 1 ? names : `${strips.length} strips`}?`} onClose={close}>
      {strips.length > 1 && <chakra.p color="quiet">{names}</chakra.p>}
      <chakra.ul paddingLeft="18px" listStyleType="disc" aria-label="What refers to them">
        {said?.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </chakra.ul>
      {said?.length === 0 && <p>Nothing else refers to {strips.length === 1 ? "it" : "them"}.</p>}
      <Buttons word="Delete" disabled={!said} onDone={remove} />
    </Panel>
  );
}

function Buttons({ word, disabled, onDone }: { word: string; disabled: boolean; onDone: () => void }) {
  return (
    <chakra.div display="flex" gap="8px" justifyContent="flex-end" marginTop="12px">
      <PlainButton onClick={close}>Cancel</PlainButton>
      <PlainButton bg="ink" color="card" _hover={{ bg: "focus" }} disabled={disabled} onClick={onDone}>
        {word}
      </PlainButton>
    </chakra.div>
  );
}
