export { DecisionQuestion } from "./DecisionQuestion";
export { Finder } from "./Finder";
export { KeysList } from "./KeysList";
export { NameQuestion } from "./NameQuestion";
export { SessionList } from "./SessionList";
export { Panel } from "./Panel";
export { StripDialogs } from "./StripDialogs";
