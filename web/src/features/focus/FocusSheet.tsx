import { chakra } from "@chakra-ui/react";

import { useOpen } from "../../app/SessionContext";
import { foldSheet, useView } from "../../app/store";
import { LetterToggle } from "../../controls/LetterToggle";
import { StripFindings } from "../findings";
import { Chain } from "./Chain";
import { GhostPattern } from "./GhostPattern";
import { Ladder } from "./Ladder";
import { Sentence } from "./Sentence";

/** The focused strip: what it does in a sentence, and its levels from source to mix with the chain in between. */
export function FocusSheet() {
  const open = useOpen();
  const focused = useView((view) => view.focused);
  const folded = useView((view) => view.sheetFolded[view.station]);
  const strip = open.strips.get(focused);

  if (folded || !strip) {
    return (
      <chakra.aside width="foldedSheet" borderLeft="1px solid" borderColor="rule" bg="card" paddingTop="8px">
        <chakra.button
          type="button"
          aria-label="Unfold the focus sheet"
          width="100%"
          height="target"
          cursor="pointer"
          onClick={foldSheet}
        >
          ‹
        </chakra.button>
        <chakra.div css={{ writingMode: "vertical-rl" }} margin="12px auto" fontWeight="700">
          {strip?.name}
        </chakra.div>
      </chakra.aside>
    );
  }
  const toggle = (field: "mute" | "solo" | "polarity_inverted") =>
    void open.edit({ type: "set-strips", changes: [{ strip: strip.id, [field]: !strip[field] }] });
  return (
    <chakra.aside
      aria-label={`Focus: ${strip.name}`}
      width="sheet"
      borderLeft="1px solid"
      borderColor="rule"
      bg="card"
      display="flex"
      flexDirection="column"
      overflow="hidden"
    >
      <chakra.div
        display="flex"
        alignItems="center"
        gap="8px"
        padding="8px 12px"
        borderBottom="1px solid"
        borderColor="rule"
        height="44px"
      >
        <chakra.span width="5px" height="18px" flexShrink="0" style={{ background: strip.color }} />
        <chakra.h2
          fontSize="title"
          fontWeight="700"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
        >
          {strip.name}
        </chakra.h2>
        <chakra.span color="quiet">{strip.kind}</chakra.span>
        <chakra.div flex="1" />
        <LetterToggle
          boxed
          letter="ø"
          label="Invert polarity"
          address={`strips/${strip.id}/polarity_inverted`}
          tone="key"
          on={strip.polarity_inverted}
          onToggle={() => toggle("polarity_inverted")}
        />
        <LetterToggle
          boxed
          letter="M"
          label="Mute the focused strip"
          address={`strips/${strip.id}/mute`}
          tone="over"
          on={strip.mute}
          onToggle={() => toggle("mute")}
        />
        <LetterToggle
          boxed
          letter="S"
          label="Solo the focused strip"
          tone="focus"
          on={strip.solo}
          onToggle={() => toggle("solo")}
        />
        <chakra.button
          type="button"
          aria-label="Fold the focus sheet"
          minWidth="target"
          height="target"
          cursor="pointer"
          onClick={foldSheet}
        >
          ›
        </chakra.button>
      </chakra.div>
      <Sentence strip={strip} />
      {strip.kind === "ghost" && (
        <chakra.section aria-label="Clicks" padding="8px 12px" borderBottom="1px solid" borderColor="rule">
          <GhostPattern strip={strip} />
        </chakra.section>
      )}
      <StripFindings strip={strip.id} />
      <chakra.div flex="1" overflowY="auto" overflowX="hidden" padding="4px 12px 12px 0">
        <Ladder strip={strip}>
          <Chain strip={strip} chain={strip.chain} into={null} />
        </Ladder>
      </chakra.div>
    </chakra.aside>
  );
}
