import { replaceEqualDeep } from "@tanstack/react-query";
import { useState } from "react";

/** A value that is made anew each time, with what has not changed in it kept, so that whoever gets it can tell. */
export function useShared<T>(value: T): T {
  const [kept, keep] = useState(value);
  const shared = replaceEqualDeep(kept, value) as T;
  if (shared !== kept) keep(shared);
  return shared;
}
