export { Tidy } from "./Tidy";
