export { Duck } from "./Duck";
