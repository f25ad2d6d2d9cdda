import { create } from "zustand";

import type { Processor, Send } from "../api/types";

/** What was copied last, of each kind. */
export const useClipboard = create<{ processors: Processor[]; sends: Send[] }>(() => ({
  processors: [],
  sends: [],
}));
