export { ComingStation } from "./ComingStation";
