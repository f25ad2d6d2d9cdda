import { chakra } from "@chakra-ui/react";
import type { DragEvent, MouseEvent } from "react";

import type { Media } from "../../api/types";
import { useActing, useOpen } from "../../app/SessionContext";
import { pickStrip } from "../../app/selection";
import { formatDb, formatTime } from "../../lib/format";
import { FoldMark, StripMark, type LevelItem } from "../level";
import { ClipBox, type ClipPlace } from "./ClipBox";
import type { Landing } from "./dragging";
import { COLUMNS, NAME_PX, ROW_PX } from "./sizes";

type TidyRowProps = {
  item: LevelItem;
  media: Map<string, Media>;
  sourcePeakDb: number | null;
  durationS: number;
  lanePx: number;
  marked: boolean;
  landing: Landing | null;
  clip: ClipPlace | null;
  onChooseClip: (place: ClipPlace) => void;
  onDragStart: (event: DragEvent) => void;
  onDragOver: (event: DragEvent, share: number) => void;
  onDrop: (event: DragEvent) => void;
  onFolderMenu: (folder: string) => void;
};

/** A strip or folder: name, what it plays, and its clips along the song. */
export function TidyRow(props: TidyRowProps) {
  const { item, landing, marked } = props;
  const { strip, folder } = item;
  const { now } = useActing();
  const name = folder?.name ?? strip?.name ?? "";
  const onClick = (event: MouseEvent) => {
    if (strip) pickStrip(now(), strip.id, event);
  };
  const beside = landing?.where === "before" || landing?.where === "after";
  return (
    <chakra.div
      role="row"
      aria-label={name}
      aria-selected={marked}
      position="relative"
      display="flex"
      height={`${ROW_PX}px`}
      borderBottom="1px solid"
      borderColor="rule"
      bg={landing && !beside ? "wash" : marked ? "wash" : "transparent"}
      outline={landing && !beside ? "2px dashed" : "none"}
      outlineColor="focus"
      outlineOffset="-2px"
      onClick={onClick}
      onDragOver={(event) => {
        const box = event.currentTarget.getBoundingClientRect();
        props.onDragOver(event, (event.clientY - box.top) / box.height);
      }}
      onDrop={props.onDrop}
    >
      {beside && (
        <chakra.span
          position="absolute"
          left="0"
          right="0"
          height="3px"
          bg="focus"
          zIndex="1"
          style={{ [landing.where === "before" ? "top" : "bottom"]: "-2px" }}
        />
      )}
      {landing && (
        <chakra.span
          role="status"
          position="absolute"
          left={`${NAME_PX + 8}px`}
          top="4px"
          zIndex="2"
          bg="focus"
          color="card"
          padding="1px 8px"
          borderRadius="small"
          fontSize="small"
          pointerEvents="none"
        >
          {landing.words}
        </chakra.span>
      )}
      <chakra.div
        role="cell"
        display="grid"
        gridTemplateColumns={COLUMNS}
        alignItems="center"
        flexShrink="0"
        width={`${NAME_PX}px`}
        paddingLeft="10px"
        borderRight="1px solid"
        borderColor="rule"
        cursor="grab"
        draggable={strip?.kind !== "mix"}
        onDragStart={props.onDragStart}
      >
        <chakra.span
          display="flex"
          alignItems="center"
          gap="6px"
          overflow="hidden"
          style={{ paddingLeft: `${14 * item.depth}px` }}
        >
          {folder && <FoldMark folder={folder.id} name={folder.name} />}
          {strip && (
            <StripMark
              color={strip.kind === "mix" ? "currentColor" : strip.color}
              cuts={item.cuts}
              wide={strip.kind !== "track"}
            />
          )}
          <chakra.button
            type="button"
            height="target"
            overflow="hidden"
            textOverflow="ellipsis"
            whiteSpace="nowrap"
            textAlign="left"
            fontWeight={folder || strip?.kind !== "track" ? "700" : "400"}
            cursor="pointer"
          >
            {name}
          </chakra.button>
          {folder && (
            <chakra.button
              type="button"
              aria-label={`Folder ${folder.name}…`}
              minWidth="target"
              height="target"
              color="quiet"
              cursor="pointer"
              onClick={(event) => {
                event.stopPropagation();
                props.onFolderMenu(folder.id);
              }}
            >
              ⋯
            </chakra.button>
          )}
        </chakra.span>
        <Facts {...props} />
      </chakra.div>
      <chakra.div role="cell" position="relative" flex="1" overflow="hidden">
        {strip?.clips.map((clip, index) => (
          <ClipBox
            key={index}
            strip={strip}
            clip={clip}
            index={index}
            media={props.media.get(clip.media)}
            durationS={props.durationS}
            widthPx={props.lanePx}
            chosen={props.clip?.strip === strip.id && props.clip.clip === index}
            onChoose={() => props.onChooseClip({ strip: strip.id, clip: index })}
          />
        ))}
      </chakra.div>
    </chakra.div>
  );
}

/** What a strip plays: files, length, source level. */
function Facts({ item, media, sourcePeakDb }: TidyRowProps) {
  const { strips } = useOpen();
  const strip = item.strip;
  const quiet = { color: "quiet", fontSize: "small", textAlign: "right", whiteSpace: "nowrap" } as const;
  if (!strip) {
    return (
      <chakra.span {...quiet} gridColumn="2 / 5" paddingRight="8px">
        folder of {item.nMembers}
      </chakra.span>
    );
  }
  if (strip.kind !== "track") {
    const goal = strip.output ? strips.get(strip.output)?.name : null;
    return (
      <chakra.span {...quiet} gridColumn="2 / 5" paddingRight="8px" overflow="hidden" whiteSpace="nowrap">
        {item.folder ? `bus of ${item.nMembers}` : strip.kind}
        {goal ? `, to ${goal}` : ""}
      </chakra.span>
    );
  }
  const files = new Set(strip.clips.map((clip) => clip.media));
  const first = strip.clips[0] ? media.get(strip.clips[0].media) : undefined;
  return (
    <>
      <chakra.span {...quiet} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        {files.size === 1 ? "1 file" : `${files.size} files`}
      </chakra.span>
      <chakra.span {...quiet} textStyle="number">
        {first?.duration_s ? formatTime(first.duration_s, 0) : ""}
      </chakra.span>
      <chakra.span
        {...quiet}
        textStyle="number"
        paddingRight="6px"
        title="Highest sample of the source, dBFS"
      >
        {sourcePeakDb === null ? "" : formatDb(sourcePeakDb)}
      </chakra.span>
    </>
  );
}
