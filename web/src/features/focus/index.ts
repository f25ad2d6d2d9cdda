export { FocusSheet } from "./FocusSheet";
export { PresetList } from "./PresetList";
export { KeyPicker } from "./CompressorCard";
export { Parameters } from "./Parameters";
