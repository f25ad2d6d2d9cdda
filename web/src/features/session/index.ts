export { Finder } from "./Finder";
export { KeysList } from "./KeysList";
export { NameQuestion } from "./NameQuestion";
export { SessionList } from "./SessionList";
