export { FocusSheet } from "./FocusSheet";
