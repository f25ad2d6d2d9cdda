export { SongLine } from "./SongLine";
export { TopLine } from "./TopLine";
export { TempoPanel } from "./TempoPanel";
