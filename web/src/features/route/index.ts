export { Route } from "./Route";
