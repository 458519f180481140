import { useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Signal } from "../../api/client";
import type { Mark, Track } from "./tracks";

const HIGH = 132;
/** Seconds that a graph looks back. */
const BACK = 90;

const colour = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();

/** A large graph of one signal; all on the screen share the time axis, the cursor and the marks. */
export function Graph({
  signal,
  track,
  marks,
  end,
}: {
  signal: Signal;
  track: Track;
  marks: Mark[];
  /** The last moment of the time axis, milliseconds since 1970. */
  end: number;
}) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot>(undefined);
  const shown = useRef({ marks, end });
  shown.current = { marks, end };
  const heading = `${signal.name}${signal.physical_unit || signal.unit ? `, ${signal.physical_unit || signal.unit}` : ""}`;

  useEffect(() => {
    const at = box.current;
    if (!at) return;
    const [ink, faint, rule, copper] = ["ink", "faint", "rule", "copper"].map(colour);
    const axis = {
      stroke: faint,
      grid: { stroke: rule, width: 1 },
      ticks: { stroke: rule, width: 1 },
    };
    const made = new uPlot(
      {
        width: at.clientWidth,
        height: HIGH,
        legend: { show: false },
        cursor: { sync: { key: "live" }, drag: { x: false, y: false } },
        scales: { x: { time: false } },
        axes: [
          { ...axis, values: (_, ticks) => ticks.map((t) => `${t.toFixed(0)} s`), size: 28 },
          { ...axis, size: 58 },
        ],
        series: [{}, { stroke: ink, width: 1.5, points: { show: false }, spanGaps: false }],
        hooks: {
          draw: [
            (u) => {
              const { ctx, bbox } = u;
              ctx.save();
              ctx.strokeStyle = copper ?? "";
              ctx.fillStyle = copper ?? "";
              ctx.textAlign = "right";
              for (const mark of shown.current.marks) {
                const x = u.valToPos((mark.at - shown.current.end) / 1000, "x", true);
                if (x < bbox.left || x > bbox.left + bbox.width) continue;
                ctx.beginPath();
                ctx.moveTo(x, bbox.top);
                ctx.lineTo(x, bbox.top + bbox.height);
                ctx.stroke();
                ctx.fillText(mark.text, x - 5, bbox.top + 14);
              }
              ctx.restore();
            },
          ],
        },
      },
      [[], []],
      at,
    );
    plot.current = made;
    const wide = new ResizeObserver(() => made.setSize({ width: at.clientWidth, height: HIGH }));
    wide.observe(at);
    return () => {
      wide.disconnect();
      made.destroy();
    };
  }, []);

  useEffect(() => {
    const u = plot.current;
    if (!u) return;
    const from = track.at.findIndex((t) => t >= end - 1000 * BACK);
    const times = from < 0 ? [] : track.at.slice(from).map((t) => (t - end) / 1000);
    u.setData([times, from < 0 ? [] : track.values.slice(from)], false);
    u.setScale("x", { min: -BACK, max: 0 });
    const numbers = track.values.slice(Math.max(0, from)).filter((v): v is number => v !== null);
    const [least, most] = [Math.min(...numbers), Math.max(...numbers)];
    const room = Math.max(0.05 * (most - least), 0.02 * Math.abs(most), 0.05);
    if (numbers.length > 0) u.setScale("y", { min: least - room, max: most + room });
  }, [track, end]);

  return (
    <figure>
      <figcaption className="flex items-baseline justify-between gap-3 text-[14px] font-semibold">
        {heading}
        <span className="num text-[13px] font-normal text-faint">{signal.module}</span>
      </figcaption>
      <div ref={box} role="img" aria-label={`${heading}, the last ${BACK} seconds`} />
    </figure>
  );
}
