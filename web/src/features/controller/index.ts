export { ControllerPage } from "./ControllerPage";
