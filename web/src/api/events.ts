import type { components } from "./generated";

export type Told = components["schemas"]["Told"];

/**
 * What the program tells, for every window of this browser over one stream: a browser opens no more
 * than six connections to a place, and one for each window would leave none for questions. The window
 * that holds the lock listens and passes on; when it is closed, the next one gets the lock.
 */
const LOCK = "chalkeus-events";
const channel = new BroadcastChannel(LOCK);
const listeners = new Set<(told: Told | "missed") => void>();

function hear(told: Told | "missed") {
  for (const listener of listeners) listener(told);
}

function passOn(told: Told | "missed") {
  channel.postMessage(told);
  hear(told);
}

channel.onmessage = (e: MessageEvent<Told | "missed">) => hear(e.data);

// A page that only looks on, from another computer over plain HTTP, has no locks, and there is no stream for it.
const locks = (navigator as Partial<Navigator>).locks;
locks?.request(LOCK, () => {
  const events = new EventSource("/api/events");
  events.addEventListener("told", (e) => passOn(JSON.parse((e as MessageEvent<string>).data)));
  events.addEventListener("missed", () => passOn("missed"));
  // Whatever was told while there was no stream was missed: of this window, of a window before, or
  // while the program was away.
  events.addEventListener("open", () => passOn("missed"));
  // Held as long as the window lives.
  return new Promise<never>(() => {});
});

/** Listens until the answer is called. */
export function listen(listener: (told: Told | "missed") => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}
