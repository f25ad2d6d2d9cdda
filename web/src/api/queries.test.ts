import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { expect, test } from "vitest";

import { newest } from "./queries";

test("an answer that was overtaken does not bring an older session back", async () => {
  const client = new QueryClient();
  const answers: ((revision: number) => void)[] = [];
  const observer = new QueryObserver(client, {
    queryKey: ["session"],
    queryFn: () =>
      new Promise<{ revision: number }>((resolve) => answers.push((revision) => resolve({ revision }))),
    structuralSharing: newest,
    staleTime: Infinity,
  });
  const stop = observer.subscribe(() => undefined);
  answers[0]?.(3);
  await expect.poll(() => observer.getCurrentResult().data?.revision).toBe(3);
  const late = client.refetchQueries({ queryKey: ["session"] });
  client.setQueryData(["session"], { revision: 5 });
  answers[1]?.(4);
  await late;
  expect(observer.getCurrentResult().data?.revision).toBe(5);
  const newer = client.refetchQueries({ queryKey: ["session"] });
  answers[2]?.(6);
  await newer;
  expect(observer.getCurrentResult().data?.revision).toBe(6);
  stop();
});
