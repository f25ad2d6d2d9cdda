/** Whether a job, or a file that one makes, is still to be done or being done. */
export function isUnderWay({ state }: { state: string }): boolean {
  return state === "waiting" || state === "running";
}
