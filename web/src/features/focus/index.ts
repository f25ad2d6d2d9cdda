export { FocusSheet } from "./FocusSheet";
export { PresetList } from "./PresetList";
