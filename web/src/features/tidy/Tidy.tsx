import { chakra } from "@chakra-ui/react";
import { useMemo, useRef, useState, type DragEvent } from "react";

import {
  makeBus,
  makeFolder,
  makeGhost,
  removeSelected,
  selectedStrips,
  sumFolder,
} from "../../app/commands";
import { stageOf, useMeasured } from "../../app/measurement";
import { useOpen, useTransport } from "../../app/SessionContext";
import { askName, askWhich, focusStrip, useView } from "../../app/store";
import { visibleRows } from "../../app/tree";
import { PlainButton } from "../../controls/PlainButton";
import { useWidth } from "../../lib/useWidth";
import { ChannelsChoice, FilePicker, IncomingFiles, itemsOf, type LevelItem } from "../level";
import type { ClipPlace } from "./ClipBox";
import { ClipTools } from "./ClipTools";
import { landingAction, landingAt, type Landing } from "./dragging";
import { Ruler } from "./Ruler";
import { NAME_PX } from "./sizes";
import { TidyRow } from "./TidyRow";

type Carried = { strips: string[]; folders: string[] };

/** Files, clips, folders, names and colours in order. */
export function Tidy() {
  const open = useOpen();
  const { document, tree } = open.state;
  const transport = useTransport();
  const measured = useMeasured((store) => store.measured);
  const folded = useView((view) => view.foldedFolders);
  const selected = useView((view) => view.selected);
  const [carried, setCarried] = useState<Carried | null>(null);
  const [landing, setLanding] = useState<Landing | null>(null);
  const [clip, setClip] = useState<ClipPlace | null>(null);
  const lane = useRef<HTMLDivElement>(null);
  const widthPx = useWidth(lane);
  const items = useMemo(
    () => itemsOf(visibleRows(tree, folded), open.strips, document.folders),
    [tree, folded, open.strips, document.folders],
  );
  const media = useMemo(() => new Map(document.media.map((item) => [item.id, item])), [document.media]);
  const durationS = Math.max(transport.durationS, ...document.sections.map((item) => item.end_s), 1);
  const lanePx = Math.max(100, widthPx - NAME_PX);

  const dragStart = (item: LevelItem) => (event: DragEvent) => {
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", item.folder?.name ?? item.strip?.name ?? "");
    if (item.folder) setCarried({ strips: [], folders: [item.folder.id] });
    else if (item.strip) {
      if (!selected.has(item.strip.id)) focusStrip(item.strip.id);
      const together = selected.has(item.strip.id) ? selectedStrips(open.state).map((strip) => strip.id) : [];
      setCarried({ strips: together.length ? together : [item.strip.id], folders: [] });
    }
  };
  const dragOver = (item: LevelItem) => (event: DragEvent, share: number) => {
    if (!carried) return;
    event.preventDefault();
    const next = landingAt(item, share, carried.strips.length || 1);
    if (next.where !== landing?.where || next.key !== landing.key) setLanding(next);
  };
  const drop = (item: LevelItem) => (event: DragEvent) => {
    event.preventDefault();
    const [what, where] = [carried, landing];
    setCarried(null);
    setLanding(null);
    if (!what || !where) return;
    const action = landingAction(where, item, what.strips, what.folders);
    if (action) void open.edit(action);
    else if (item.strip) void newFolderWith([item.strip.id, ...what.strips]);
  };
  const newFolderWith = async (strips: string[]) => {
    const name = await askName("New folder", "Folder");
    if (name) void open.edit({ type: "folder-from-strips", strips: [...new Set(strips)], name });
  };
  const folderMenu = async (id: string) => {
    const folder = document.folders.find((item) => item.id === id);
    if (!folder) return;
    const chosen = await askWhich(`Folder ${folder.name}`, [
      { value: "rename", label: "Rename…" },
      ...(folder.bus ? [] : [{ value: "sum", label: "Sum this folder into a bus" }]),
      { value: "take-in", label: "Move the selected strips into it" },
      { value: "remove", label: "Take the folder away, keep what it holds" },
    ]);
    if (chosen === "rename") {
      const name = await askName("Name of the folder", folder.name);
      if (name) void open.edit({ type: "set-folder", folder: id, name });
    }
    if (chosen === "sum") void sumFolder(open, id);
    if (chosen === "take-in") {
      const strips = selectedStrips(open.state).map((strip) => strip.id);
      void open.edit({ type: "move-in-tree", strips, where: "into", folder: id });
    }
    if (chosen === "remove") void open.edit({ type: "remove-folder", folder: id });
  };
  const moveOut = () =>
    void open.edit({
      type: "move-in-tree",
      strips: selectedStrips(open.state).flatMap((strip) => (strip.kind === "mix" ? [] : strip.id)),
      where: "into",
    });

  return (
    <chakra.div ref={lane} height="100%" display="flex" flexDirection="column">
      <chakra.div
        display="flex"
        alignItems="center"
        gap="6px"
        padding="0 12px"
        height="37px"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <chakra.span color="quiet">
          {selected.size > 1 ? `${selected.size} selected` : "selected"}
        </chakra.span>
        <PlainButton onClick={() => void makeFolder(open)}>Folder…</PlainButton>
        <PlainButton onClick={() => void makeFolder(open, true)}>Folder with bus…</PlainButton>
        <PlainButton onClick={() => void makeBus(open)}>Bus…</PlainButton>
        <PlainButton onClick={moveOut}>Out of folders</PlainButton>
        <PlainButton onClick={() => useView.setState({ dialog: "rename" })}>Rename…</PlainButton>
        <PlainButton onClick={() => useView.setState({ dialog: "color" })}>Colour…</PlainButton>
        <PlainButton onClick={() => removeSelected(open)}>Delete…</PlainButton>
        <chakra.div flex="1" />
        <PlainButton onClick={() => void makeGhost(open)}>New ghost…</PlainButton>
        <ChannelsChoice />
        <FilePicker />
      </chakra.div>
      <IncomingFiles />
      <chakra.div
        display="flex"
        alignItems="center"
        height="33px"
        padding="0 12px"
        borderBottom="1px solid"
        borderColor="rule"
        overflow="hidden"
      >
        <ClipTools place={clip} />
      </chakra.div>
      <Ruler durationS={durationS} lanePx={lanePx} />
      <chakra.div
        flex="1"
        overflowY="auto"
        overflowX="hidden"
        role="table"
        aria-label="Strips and clips"
        onDragEnd={() => {
          setCarried(null);
          setLanding(null);
        }}
      >
        {items.map((item) => (
          <TidyRow
            key={item.key}
            item={item}
            media={media}
            sourcePeakDb={stageOf(measured, item.strip?.id ?? "", "source")?.sample_peak_dbfs ?? null}
            durationS={durationS}
            lanePx={lanePx}
            marked={Boolean(item.strip && selected.has(item.strip.id))}
            landing={landing?.key === item.key ? landing : null}
            clip={clip}
            onChooseClip={setClip}
            onDragStart={dragStart(item)}
            onDragOver={dragOver(item)}
            onDrop={drop(item)}
            onFolderMenu={(folder) => void folderMenu(folder)}
          />
        ))}
        {document.strips.length === 1 && (
          <chakra.p color="quiet" padding="24px">
            Drop audio files anywhere, or choose them with “Add files…”. Then select some and press G: a
            folder takes them in.
          </chakra.p>
        )}
      </chakra.div>
    </chakra.div>
  );
}
