import catalogue from "../api/catalogue.gen.json";
import type { Parameter, Processor, Session } from "../api/types";
import { walkChain } from "./chains";

const TABLES = catalogue.parameters as unknown as Record<string, Record<string, Parameter> | undefined>;

/** The parameter at an address, from the document and the server's tables; null if there is none. */
export function parameterAt(document: Session, address: string): Parameter | null {
  const [kind, owner, ...rest] = address.split("/");
  const name = rest.at(-1) ?? "";
  if (kind === "control_groups") return TABLES.control_group?.[name] ?? null;
  if (kind === "followers") return TABLES.follower?.[name] ?? null;
  if (kind === "ducks") return (rest[0] === "targets" ? TABLES.duck_target : TABLES.duck)?.[name] ?? null;
  const strip = document.strips.find((item) => item.id === owner);
  if (!strip) return null;
  const part = partOf(strip.chain, rest);
  return part ? (TABLES[part]?.[name] ?? null) : null;
}

/** Which table a parameter of a strip stands in. */
function partOf(
  chain: Session["strips"][number]["chain"],
  [field, id, inner, innerId, within]: string[],
): string | null {
  if (field === "sends") return "send";
  if (field === "pan") return "pan";
  if (field !== "chain") return "strip";
  const processor = walkChain(chain).find((item) => item.id === id);
  if (!processor) return null;
  if (inner === "bands" && innerId !== undefined) return within === "motion" ? "band_motion" : "eq_band";
  if (inner === "lanes" && innerId !== undefined) return "lane";
  if (inner === "key")
    return within === "bands" ? "filter_band" : innerId === "filter" ? "key_filter" : "key";
  if (inner === "splits" && innerId !== undefined) return "split";
  // What every processor has stands in the table of one of them.
  return inner === "on" ? "parallel" : processor.type;
}

/** The value at an address in the document; null if there is none. */
export function valueIn(document: Session, address: string): unknown {
  const [kind, owner, ...rest] = address.split("/");
  const holders: readonly { id: string }[] =
    kind === "strips"
      ? document.strips
      : kind === "ducks"
        ? document.ducks
        : kind === "followers"
          ? document.followers
          : document.control_groups;
  let part: unknown = holders.find((item) => item.id === owner);
  while (rest.length && part && typeof part === "object") part = inner(part as Fields, rest);
  return part ?? null;
}

type Fields = Record<string, unknown>;

/** One step of the way inwards: a field, a processor's parameter, or a part by its id. */
function inner(part: Fields, rest: string[]): unknown {
  const field = rest.shift() ?? "";
  const found = field in part ? part[field] : (part.params as Fields | undefined)?.[field];
  if (!Array.isArray(found)) return found;
  const id = rest.shift();
  const parts = field === "chain" ? walkChain(found as Processor[]) : (found as { id: string }[]);
  return parts.find((item) => item.id === id);
}
