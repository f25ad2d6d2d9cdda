import { chakra } from "@chakra-ui/react";

import { forgetBindings, listenToDevices, useControllerState } from "../../app/controller";
import { counted, useRecording, type Quantum } from "../../app/recording";
import { ActionMenu } from "../../controls/ActionMenu";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";

const QUANTA = [
  { value: "", label: "as played" },
  { value: "1/4", label: "to 1/4" },
  { value: "1/8", label: "to 1/8" },
  { value: "1/16", label: "to 1/16" },
];

/** Recording: armed or not, how notes are kept, and what leads which control. */
export function RecordBar() {
  const armed = useRecording((recording) => recording.armed);
  const quantum = useRecording((recording) => recording.quantum);
  const strokes = useRecording((recording) => recording.strokes.length);
  const notes = useRecording((recording) => recording.notes.length);
  const learning = useControllerState((controller) => controller.learning);
  const touched = useControllerState((controller) => controller.touched);
  const bound = useControllerState((controller) => Object.keys(controller.bindings).length);
  const devices = useControllerState((controller) => controller.devices);
  return (
    <chakra.div display="flex" gap="8px" alignItems="center">
      <chakra.span color="quiet" fontSize="small" role="status">
        {strokes || notes ? `${counted(strokes, "stroke")}, ${counted(notes, "note")}` : ""}
        {learning ? (touched === null ? "touch a control here" : "now move a fader") : ""}
      </chakra.span>
      <Choice
        label="Notes of pads are kept"
        value={quantum ?? ""}
        options={QUANTA}
        onChange={(value) => useRecording.setState({ quantum: (value || null) as Quantum })}
      />
      <PlainButton
        height="target"
        aria-pressed={learning}
        borderColor={learning ? "focus" : "edge"}
        title="Touch a control here, then a fader or pad of the controller: from then on it leads the control"
        onClick={() => useControllerState.setState({ learning: !learning, touched: null })}
      >
        learn
      </PlainButton>
      <ActionMenu
        label="Controllers"
        text={devices === null ? "controllers" : `${devices} plugged in`}
        items={[
          { value: "devices", label: "Listen to MIDI devices" },
          { value: "simulated", label: "Open the simulated controller" },
          ...(bound ? [{ value: "forget", label: `Forget what leads what (${bound})` }] : []),
        ]}
        onSelect={(value) => {
          if (value === "devices") void listenToDevices();
          else if (value === "simulated")
            window.open("/controller", "gemischt-controller", "width=760,height=520");
          else forgetBindings();
        }}
      />
      <PlainButton
        height="target"
        aria-pressed={armed}
        color={armed ? "card" : "over"}
        bg={armed ? "over" : "transparent"}
        borderColor="over"
        _hover={{ bg: armed ? "over" : "wash" }}
        title="While the song plays, whatever you move is recorded (A)"
        onClick={() => useRecording.setState({ armed: !armed })}
      >
        ● record while I move
      </PlainButton>
    </chakra.div>
  );
}
