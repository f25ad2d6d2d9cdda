export { DropZone } from "./DropZone";
export { Level } from "./Level";
