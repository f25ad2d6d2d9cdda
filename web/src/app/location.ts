/** The address names the open session: /session/ID; without one, the list is shown. */
const listeners = new Set<() => void>();
window.addEventListener("popstate", () => listeners.forEach((listener) => listener()));

export function currentSessionId(): string {
  return /^\/session\/([\w-]+)/.exec(location.pathname)?.[1] ?? "";
}

/** Whether this page is the simulated controller. */
export function isController(): boolean {
  return location.pathname === "/controller";
}

export function onNavigate(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function openSession(id: string): void {
  history.pushState(null, "", id ? `/session/${id}` : "/");
  listeners.forEach((listener) => listener());
}
