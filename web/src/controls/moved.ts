import { createContext, useContext } from "react";

/** Addresses of the parameters that move over the song. */
export const MovedContext = createContext<ReadonlySet<string>>(new Set());

/** Whether the parameter at an address moves over the song. */
export function useMoved(address: string | undefined): boolean {
  const moved = useContext(MovedContext);
  return address !== undefined && moved.has(address);
}
