export { Tidy } from "./Tidy";
export { beatS, toBeat } from "./time";
