export { SongLine } from "./SongLine";
export { TopLine } from "./TopLine";
