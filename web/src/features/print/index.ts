export { Print } from "./Print";
