import { chakra } from "@chakra-ui/react";
import { useState, type KeyboardEvent, type PointerEvent } from "react";

import { useOpen } from "../../app/SessionContext";
import { followPointer } from "../../controls/followPointer";
import { snapped, stepped } from "../../lib/beatGrid";
import { renameSection } from "../../app/sections";

const END_PX = 12;

type Boundary = { atS: number; ending: number | null; beginning: number | null };

/** Sections on the song line: pressed they loop, F2 names them, Delete takes them away; their ends are dragged. */
export function SectionMarks({ durationS, widthPx }: { durationS: number; widthPx: number }) {
  const open = useOpen();
  const { state, live, edit, grid } = open;
  const [dragged, setDragged] = useState<{ from: number; toS: number } | null>(null);
  const { sections } = state.document;
  const pxPerS = widthPx / durationS;

  const loop = (index: number, stays: boolean) => {
    const section = sections[index];
    if (!section) return;
    live.loop([section.start_s, section.end_s]);
    if (!stays) live.seek(section.start_s);
  };
  const onKeyDown = (event: KeyboardEvent, index: number) => {
    if (event.key === "F2") void renameSection(open, index);
    else if (event.key === "Delete" || event.key === "Backspace")
      void edit({ type: "remove-section", index });
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  /** What moves a boundary: the section that grows; the other gives way. */
  const put = (boundary: Boundary, atS: number) => {
    const { ending, beginning } = boundary;
    const grows = ending !== null && (beginning === null || atS > boundary.atS);
    if (atS === boundary.atS) return;
    if (grows) void edit({ type: "set-section", index: ending, end_s: atS });
    else if (beginning !== null) void edit({ type: "set-section", index: beginning, start_s: atS });
  };
  const drag = (event: PointerEvent<HTMLElement>, boundary: Boundary, place: number) => {
    event.stopPropagation();
    let toS = boundary.atS;
    followPointer(event, {
      onMove: (pointer, dxPx) => {
        toS = snapped(grid, boundary.atS + dxPx / pxPerS, pointer.altKey ? "free" : "bar");
        setDragged({ from: place, toS });
      },
      onEnd: (released) => {
        setDragged(null);
        if (released) put(boundary, toS);
      },
    });
  };
  return (
    <>
      {sections.map((section, index) => (
        <chakra.button
          key={`${section.name} ${index}`}
          type="button"
          position="absolute"
          top="0"
          height="20px"
          paddingLeft="5px"
          maxWidth={`${(100 * (section.end_s - section.start_s)) / durationS}%`}
          overflow="hidden"
          whiteSpace="nowrap"
          style={{ left: `${section.start_s * pxPerS}px` }}
          title={`Loop ${section.name} and go there; Alt stays. F2 names it, Delete takes it away`}
          cursor="pointer"
          onPointerDown={(event) => event.stopPropagation()}
          onDoubleClick={(event) => event.stopPropagation()}
          onKeyDown={(event) => onKeyDown(event, index)}
          onClick={(event) => loop(index, event.altKey)}
        >
          {section.name}
        </chakra.button>
      ))}
      {boundariesOf(sections).map((boundary, place) => {
        const atS = dragged?.from === place ? dragged.toS : boundary.atS;
        const names = [boundary.ending, boundary.beginning].flatMap((index) =>
          index === null ? [] : [sections[index]?.name ?? ""],
        );
        return (
          <chakra.div
            key={place}
            role="slider"
            tabIndex={0}
            aria-label={`Boundary of ${names.join(" and ")}`}
            aria-valuemin={0}
            aria-valuemax={durationS}
            aria-valuenow={atS}
            title={`Drag the boundary of ${names.join(" and ")}; Alt leaves the bars`}
            position="absolute"
            bottom="0"
            width={`${END_PX}px`}
            height="24px"
            cursor="ew-resize"
            touchAction="none"
            zIndex="1"
            style={{ left: `${atS * pxPerS - END_PX / 2}px` }}
            onPointerDown={(event) => drag(event, boundary, place)}
            onDoubleClick={(event) => event.stopPropagation()}
            onKeyDown={(event) => {
              const steps = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
              if (!steps) return;
              event.preventDefault();
              event.stopPropagation();
              put(boundary, stepped(grid, boundary.atS, "bar", steps));
            }}
          >
            <chakra.div
              position="absolute"
              left={`${END_PX / 2 - 1}px`}
              bottom="0"
              width="2px"
              height="100%"
              bg={dragged?.from === place ? "focus" : "transparent"}
            />
          </chakra.div>
        );
      })}
    </>
  );
}

const CLOSE_S = 1e-6;

/** Ends and beginnings, those at one time together. */
function boundariesOf(sections: { start_s: number; end_s: number }[]): Boundary[] {
  const found: Boundary[] = [];
  const at = (atS: number): Boundary => {
    const known = found.find((boundary) => Math.abs(boundary.atS - atS) < CLOSE_S);
    if (known) return known;
    const fresh: Boundary = { atS, ending: null, beginning: null };
    found.push(fresh);
    return fresh;
  };
  sections.forEach((section, index) => {
    at(section.start_s).beginning = index;
    at(section.end_s).ending = index;
  });
  return found.sort((one, other) => one.atS - other.atS);
}
