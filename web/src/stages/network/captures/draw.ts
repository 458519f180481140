import type { FrameRow, View } from "./api";
import type { Band } from "./predicted";
import { type Stretch, ticks, told } from "./stretch";

export const HEIGHT = 260;
/** Room for the frames as a ruled line of text, and for the times below. */
const RULED = 26;
const TIMES = 20;
export const LEFT = 46;
const INKS = ["--copper", "--verdigris", "--ink", "--ochre"];

/** The ink of a line by its number. */
export const inkOf = (k: number) => INKS[k % INKS.length] ?? "--ink";

/** What a stretch of a capture is drawn on. */
export interface Drawn {
  context: CanvasRenderingContext2D;
  width: number;
  shown: Stretch;
  range: [number, number];
  colour: (name: string) => string;
}

export const x = (d: Drawn, s: number) =>
  LEFT + ((s - d.shown.from) / (d.shown.to - d.shown.from)) * (d.width - LEFT);
export const y = (d: Drawn, v: number) => {
  const [low, high] = d.range;
  return 8 + (1 - (v - low) / (high - low)) * (HEIGHT - RULED - TIMES - 16);
};

/** Volts as thin rules, times below. */
export function grid(d: Drawn) {
  const { context: c } = d;
  c.fillStyle = d.colour("--faint");
  c.strokeStyle = d.colour("--rule");
  c.lineWidth = 1;
  const [low, high] = d.range;
  for (const v of ticks({ from: low, to: high }, 5)) {
    c.beginPath();
    c.moveTo(LEFT, y(d, v));
    c.lineTo(d.width, y(d, v));
    c.stroke();
    c.fillText(`${Number(v.toFixed(3))} V`, 2, y(d, v) + 4);
  }
  for (const s of ticks(d.shown, Math.floor(d.width / 120))) {
    c.beginPath();
    c.moveTo(x(d, s), HEIGHT - TIMES - 4);
    c.lineTo(x(d, s), HEIGHT - TIMES);
    c.stroke();
    c.fillText(told(s, d.shown.to - d.shown.from), x(d, s) + 3, HEIGHT - 6);
  }
}

/** A line as it is drawn: from its least to its largest value in every column; `off` moves it in time. */
export function line(d: Drawn, view: View, volts: number[], ink: string, off = 0) {
  const { context: c } = d;
  const columns = volts.length / 2;
  if (columns === 0) return;
  const wide = view.to_s - view.from_s;
  const at = (k: number) => x(d, view.from_s - off + ((k + 0.5) / columns) * wide);
  c.strokeStyle = d.colour(ink);
  c.lineWidth = 1.25;
  c.beginPath();
  for (let k = 0; k < columns; k++) {
    c.lineTo(at(k), y(d, volts[2 * k] ?? 0));
    c.lineTo(at(k), y(d, volts[2 * k + 1] ?? 0));
  }
  c.stroke();
}

/** What a line is predicted to do, as a pale band behind it: between rest and driven while a frame is sent. */
export function band(d: Drawn, { channel, rest, frames }: Band) {
  const { context: c } = d;
  c.fillStyle = d.colour(inkOf(channel));
  c.globalAlpha = 0.18;
  for (const f of frames) {
    const from = Math.max(LEFT, x(d, f.from));
    const [top, bottom] = [y(d, Math.max(rest, f.driven)), y(d, Math.min(rest, f.driven))];
    c.fillRect(from, top, Math.max(1, x(d, f.to) - from), Math.max(1, bottom - top));
  }
  c.globalAlpha = 0.6;
  c.fillRect(LEFT, y(d, rest) - 0.5, d.width - LEFT, 1);
  for (const f of frames) {
    const from = Math.max(LEFT, x(d, f.from));
    c.fillRect(from, y(d, f.driven) - 0.5, Math.max(1, x(d, f.to) - from), 1);
  }
  c.globalAlpha = 1;
}

/** The frames as a ruled line of text. */
export function ruled(d: Drawn, frames: FrameRow[]) {
  const { context: c } = d;
  const top = HEIGHT - TIMES - RULED + 2;
  for (const f of frames) {
    const from = Math.max(LEFT, x(d, f.from_s));
    const wide = Math.max(2, x(d, f.to_s) - from);
    c.fillStyle = d.colour(f.error ? "--oxide" : "--rule");
    c.fillRect(from, top, wide, 2);
    const text = `${f.id || "?"} ${f.data}`;
    c.fillStyle = d.colour(f.error ? "--oxide" : "--ink");
    for (const words of [text, f.id || "?"]) {
      if (c.measureText(words).width < wide - 2) {
        c.fillText(words, from + 1, top + 16);
        break;
      }
    }
  }
}

/** Where something was found. */
export function place(d: Drawn, found: number) {
  const { context: c } = d;
  c.fillStyle = d.colour("--oxide");
  c.beginPath();
  c.moveTo(x(d, found) - 6, 0);
  c.lineTo(x(d, found) + 6, 0);
  c.lineTo(x(d, found), 9);
  c.fill();
}

/** Upright lines: dashed where a mark is set, whole and thin where the cursor stands. */
export function upright(d: Drawn, at: number, ink: string, dashed: boolean) {
  const { context: c } = d;
  c.strokeStyle = d.colour(ink);
  c.lineWidth = 1;
  c.setLineDash(dashed ? [4, 3] : []);
  c.beginPath();
  c.moveTo(x(d, at), 0);
  c.lineTo(x(d, at), HEIGHT - TIMES);
  c.stroke();
  c.setLineDash([]);
}
