export { EqCard } from "./EqCard";
export { GhostPattern } from "./GhostPattern";
export { FocusSheet } from "./FocusSheet";
export { PresetList } from "./PresetList";
export { KeyPicker } from "./KeyedCard";
export { Parameters } from "./Parameters";
