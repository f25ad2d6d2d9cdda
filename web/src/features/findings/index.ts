export { Findings } from "./Findings";
export { StripFindings } from "./StripFindings";
