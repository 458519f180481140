import { api, type CourseNow, type OperatingState, trouble, type Value } from "../../api/client";
import { type Recording, valuesOf } from "./recording";
import { due, empty, type Mark, read, since, type Track } from "./tracks";

/** How the reading goes. */
export interface Pace {
  /** Values a second, over the last round. */
  rate: number;
  /** Requests of the last round. */
  requests: number;
  /** What is wrong with the link; empty when nothing is. */
  trouble: string;
}

/** A recording that is looked at again. */
export interface Played {
  recording: Recording;
  /** Seconds of it that were shown, and that it has. */
  at: number;
  of: number;
  /** How many seconds of it in one. */
  speed: number;
  /** Lines that were shown. */
  shown: number;
  /** What was live meanwhile, to go back to. */
  live: { watched: string[]; tracks: Map<string, Track>; marks: Mark[] };
}

/** Least time from one round to the next, milliseconds: faster than anybody sees. */
const ROUND = 120;
/** Wait after a round that failed. */
const LATER = 1000;

/** Reads what is watched again and again while the stage is open; what was read stays between stages. */
export class Watcher {
  tracks = new Map<string, Track>();
  watched: string[];
  marks: Mark[] = [];
  /** What is on the screen. */
  readonly seen = new Set<string>();
  pace: Pace = { rate: 0, requests: 0, trouble: "" };
  paused = false;
  /** What is gone through just now. */
  course: CourseNow | null = null;
  /** The recording that is looked at again; none while it is live. */
  played: Played | null = null;
  /** The state in which a value that was just read is kept; none before anything was read. */
  state: OperatingState | null = null;
  version = 0;
  private readonly listeners = new Set<() => void>();
  private round = 0;
  private loops = 0;

  constructor(
    readonly job: number,
    readonly vehicle: string,
  ) {
    this.watched = kept(vehicle);
  }

  /** Tells whoever wants to know that something changed. */
  private tell() {
    this.version += 1;
    for (const listener of this.listeners) listener();
  }

  /** Listens; reading goes on while anybody does. */
  readonly listen = (listener: () => void) => {
    this.listeners.add(listener);
    if (this.listeners.size === 1) this.run();
    return () => {
      this.listeners.delete(listener);
    };
  };

  private async run() {
    this.loops += 1;
    const mine = this.loops;
    while (this.listeners.size > 0 && mine === this.loops) {
      const started = performance.now();
      if (this.played) {
        this.step(this.played, ROUND / 1000);
        await new Promise((done) => setTimeout(done, ROUND));
        continue;
      }
      const idle = this.paused || document.hidden || this.watched.length === 0;
      const good = idle || (await this.once());
      // What is on the screen grows old meanwhile.
      if (idle && this.watched.length > 0) this.tell();
      const took = performance.now() - started;
      const wait = good ? Math.max(20, (idle ? 300 : ROUND) - took) : LATER;
      await new Promise((done) => setTimeout(done, wait));
    }
  }

  /** One round; whether it went well. */
  async once(): Promise<boolean> {
    const signals = due(this.watched, this.seen, this.round);
    this.round += 1;
    const started = performance.now();
    try {
      const { data, error } = await api.POST("/api/jobs/{id}/values", {
        params: { path: { id: this.job } },
        body: { signals },
      });
      if (!data) throw new Error(trouble(error));
      const seconds = Math.max(performance.now() - started, ROUND) / 1000;
      const came = data.values.filter((v) => v.raw != null).length;
      this.pace = { rate: came / seconds, requests: data.requests, trouble: data.trouble };
      if (this.course && !data.course)
        this.marks = [...this.marks, { at: Date.now(), text: "end" }];
      this.course = data.course ?? null;
      // Rows that stay as they are are not drawn anew.
      if (JSON.stringify(this.state) !== JSON.stringify(data.state)) this.state = data.state;
      this.take(data.values, Date.now());
      return data.trouble === "";
    } catch (e) {
      const words = e instanceof Error ? e.message : String(e);
      this.pace = { rate: 0, requests: 0, trouble: words };
      this.take(
        signals.map((signal) => missing(signal, words)),
        Date.now(),
      );
      return false;
    }
  }

  private take(values: Value[], at: number) {
    // What was asked before a recording was begun belongs to what is live.
    if (this.played) return;
    for (const value of values) {
      if (!this.watched.includes(value.signal)) continue;
      this.tracks.set(value.signal, read(this.tracks.get(value.signal) ?? empty(), value, at));
    }
    this.tell();
  }

  add(ids: string[]) {
    const fresh = ids.filter((id) => !this.watched.includes(id));
    this.watched = [...fresh, ...this.watched];
    this.keep();
  }

  remove(ids: string[]) {
    this.watched = this.watched.filter((id) => !ids.includes(id));
    for (const id of ids) this.tracks.delete(id);
    this.keep();
  }

  mark(text: string) {
    this.marks = [...this.marks, { at: Date.now(), text }];
    for (const [id, track] of this.tracks) this.tracks.set(id, since(track));
    this.tell();
  }

  /** Looks at a recording again, or goes back to what is live. */
  play(recording: Recording | null) {
    const live = this.played?.live ?? {
      watched: this.watched,
      tracks: this.tracks,
      marks: this.marks,
    };
    const of = recording?.lines.at(-1)?.at ?? 0;
    this.played = recording && { recording, at: 0, of, speed: 4, shown: 0, live };
    this.watched = recording ? recording.columns.map((c) => c.id) : live.watched;
    this.tracks = recording ? new Map() : live.tracks;
    this.marks = recording ? [] : live.marks;
    this.course = null;
    this.tell();
  }

  /** How fast it goes. */
  speed(speed: number) {
    if (this.played) this.played = { ...this.played, speed };
    this.tell();
  }

  /** Shows the next of a recording. */
  private step(now: Played, seconds: number) {
    if (this.paused || now.at >= now.of) return;
    const { recording } = now;
    const at = Math.min(now.of, now.at + seconds * now.speed);
    let { shown } = now;
    for (; shown < recording.lines.length; shown += 1) {
      const line = recording.lines[shown];
      if (!line || line.at > at) break;
      for (const value of valuesOf(recording, line)) {
        const track = this.tracks.get(value.signal) ?? empty();
        this.tracks.set(value.signal, read(track, value, 1000 * line.at));
      }
    }
    this.marks = recording.marks
      .filter((m) => m.at <= at)
      .map((m) => ({ at: 1000 * m.at, text: m.text }));
    this.played = { ...now, at, shown };
    this.tell();
  }

  /** Something begins that moves what is watched. */
  begin(what: string) {
    this.paused = false;
    this.mark(what);
  }

  pause(paused: boolean) {
    this.paused = paused;
    this.tell();
  }

  private keep() {
    if (this.played) return this.tell();
    try {
      localStorage.setItem(name(this.vehicle), JSON.stringify(this.watched));
    } catch {
      // A browser that keeps nothing watches all the same.
    }
    this.tell();
  }
}

const name = (vehicle: string) => `watched:${vehicle}`;

/** What was watched on a vehicle last. */
function kept(vehicle: string): string[] {
  try {
    const list: unknown = JSON.parse(localStorage.getItem(name(vehicle)) ?? "[]");
    return Array.isArray(list) ? list.filter((x): x is string => typeof x === "string") : [];
  } catch {
    return [];
  }
}

const missing = (signal: string, why: string): Value => ({
  signal,
  raw: null,
  meaning: null,
  expected: null,
  stands: null,
  why,
});

let now: Watcher | null = null;

/** The watcher of a job; the one before it ends. */
export function watcherOf(job: number, vehicle: string): Watcher {
  if (now?.job !== job) now = new Watcher(job, vehicle);
  return now;
}
