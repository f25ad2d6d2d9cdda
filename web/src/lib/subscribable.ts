/** A value outside React: read it any time, hear when it changes. */
export class Subscribable<T> {
  private listeners = new Set<() => void>();

  constructor(private current: T) {}

  get = (): T => this.current;

  set(value: T): void {
    this.current = value;
    this.listeners.forEach((listener) => listener());
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
}
