import type { Processor } from "../api/types";

/** Every processor of a chain, those in lanes included. */
export function walkChain(chain: readonly Processor[]): Processor[] {
  return chain.flatMap((processor): Processor[] =>
    processor.type === "parallel"
      ? [processor, ...processor.lanes.flatMap((lane) => walkChain(lane.chain as Processor[]))]
      : [processor],
  );
}
