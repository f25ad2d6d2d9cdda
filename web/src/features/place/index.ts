export { Place } from "./Place";
