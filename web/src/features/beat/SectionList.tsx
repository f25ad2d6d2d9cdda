import { chakra } from "@chakra-ui/react";

import { useOpen, useTransport } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { SignButton } from "../../controls/SignButton";
import { ValueField } from "../../controls/ValueField";
import { barRange, barsAt, timeOfBars } from "../../lib/beatGrid";
import { nameLoop, renameSection } from "../../app/sections";

/** The sections by their bars. */
export function SectionList() {
  const open = useOpen();
  const { state, edit, grid } = open;
  const { loopS } = useTransport();
  const { sections } = state.document;
  const barField = (label: string, atS: number, onCommit: (atS: number) => void) => (
    <ValueField
      label={label}
      value={Math.round(barsAt(grid, atS)) + 1}
      minimum={1}
      maximum={9999}
      fallback={Math.round(barsAt(grid, atS)) + 1}
      step={1}
      width="30px"
      align="left"
      format={(bar) => String(Math.round(bar ?? 1))}
      onPreview={() => undefined}
      onCommit={(bar) => onCommit(timeOfBars(grid, Math.round(bar ?? 1) - 1))}
      onCancel={() => undefined}
    />
  );
  return (
    <chakra.section
      aria-label="Sections"
      marginTop="12px"
      borderTop="1px solid"
      borderColor="rule"
      paddingTop="8px"
    >
      <chakra.div display="flex" gap="10px" alignItems="center">
        <chakra.h3 fontWeight="700">Sections</chakra.h3>
        <chakra.span flex="1" color="quiet" fontSize="small">
          {sections.length ? "" : "None yet: drag a loop over the song line and name it."}
        </chakra.span>
        <PlainButton height="target" disabled={!loopS} onClick={() => void nameLoop(open)}>
          {loopS ? `name the loop, bars ${barRange(grid, loopS)}` : "name the loop"}
        </PlainButton>
      </chakra.div>
      <chakra.div maxHeight="200px" overflowY="auto">
        {sections.map((section, index) => (
          <chakra.div key={index} display="flex" gap="10px" alignItems="center" minHeight="target">
            <chakra.button
              type="button"
              width="150px"
              textAlign="left"
              overflow="hidden"
              textOverflow="ellipsis"
              whiteSpace="nowrap"
              cursor="pointer"
              title={`Rename ${section.name}`}
              onClick={() => void renameSection(open, index)}
            >
              {section.name}
            </chakra.button>
            <span>
              bar{" "}
              {barField(
                `${section.name} begins at bar`,
                section.start_s,
                (start_s) => void edit({ type: "set-section", index, start_s }),
              )}
            </span>
            <span>
              to the end of{" "}
              {barField(
                `${section.name} ends with bar`,
                Math.max(section.start_s, lastBarS(grid, section)),
                (atS) =>
                  void edit({
                    type: "set-section",
                    index,
                    end_s: timeOfBars(grid, Math.round(barsAt(grid, atS)) + 1),
                  }),
              )}
            </span>
            <chakra.span flex="1" />
            <SignButton
              label={`No section ${section.name}`}
              onClick={() => void edit({ type: "remove-section", index })}
            />
          </chakra.div>
        ))}
      </chakra.div>
    </chakra.section>
  );
}

/** When the last bar of a section begins. */
function lastBarS(grid: Parameters<typeof barsAt>[0], section: { end_s: number }): number {
  return timeOfBars(grid, Math.ceil(barsAt(grid, section.end_s) - 0.01) - 1);
}
