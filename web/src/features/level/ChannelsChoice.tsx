import { Choice } from "../../controls/Choice";
import { useChannels } from "./useImport";

/** What files of many channels become when they are brought in. */
export function ChannelsChoice() {
  const apart = useChannels((chosen) => chosen.apart);
  return (
    <Choice
      label="Channels of a file"
      value={apart ? "apart" : "together"}
      options={[
        { value: "together", label: "channels of a file together" },
        { value: "apart", label: "a track for each channel" },
      ]}
      onChange={(chosen) => useChannels.setState({ apart: chosen === "apart" })}
    />
  );
}
