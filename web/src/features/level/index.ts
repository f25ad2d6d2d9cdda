export { DropZone } from "./DropZone";
export { FilePicker } from "./FilePicker";
export { FoldMark } from "./FolderRow";
export { IncomingFiles } from "./IncomingFiles";
export { Level } from "./Level";
export { itemsOf, walkChain, type LevelItem } from "./model";
export { StripMark } from "./Row";
export { Reference } from "./Reference";
export { Snapshots } from "./Snapshots";
