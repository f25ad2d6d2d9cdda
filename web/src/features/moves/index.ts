export { Moves } from "./Moves";
