import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { Tempo } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { Segments } from "../../controls/Segments";
import { Panel } from "../session";
import { Found } from "./Found";
import { SectionList } from "./SectionList";
import { TempoRows } from "./TempoRows";

/** What keeps its bars when the tempo changes, by its word. */
const FOLLOWS = { nothing: "nothing", "moves and sections": "moves", "clips too": "clips" } as const;
type FollowsWord = keyof typeof FOLLOWS;
const FOLLOWS_WORDS = Object.keys(FOLLOWS) as FollowsWord[];

/** The song's beat: tempo and metre typed, tapped, estimated or read; its sections. */
export function BeatPanel() {
  const asked = useView((view) => view.dialog === "tempo");
  return asked ? <Asking /> : null;
}

function Asking() {
  const { edit, live } = useOpen();
  const [follows, setFollows] = useState<FollowsWord>("moves and sections");
  const close = () => useView.setState({ dialog: null });
  const wish = (tempo: Tempo[], gridOnly = false) => ({
    type: "set-tempo" as const,
    tempo,
    follows: gridOnly ? ("nothing" as const) : FOLLOWS[follows],
  });
  return (
    <Panel title="Beat and sections" onClose={close}>
      <TempoRows
        onPreview={(tempo) => live.preview(wish(tempo))}
        onCommit={(tempo, gridOnly) => void edit(wish(tempo, gridOnly))}
        onCancel={() => live.revert()}
      />
      <Found onUse={(tempo, gridOnly) => void edit(wish(tempo, gridOnly))} />
      <chakra.div display="flex" gap="8px" alignItems="center" marginTop="8px">
        <chakra.span color="quiet">what keeps its bars</chakra.span>
        <Segments
          label="What keeps its bars when the tempo changes"
          options={FOLLOWS_WORDS}
          value={follows}
          onChange={setFollows}
        />
      </chakra.div>
      <SectionList />
    </Panel>
  );
}
