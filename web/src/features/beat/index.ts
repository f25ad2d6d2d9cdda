export { BeatPanel } from "./BeatPanel";
export { SectionMarks } from "./SectionMarks";
