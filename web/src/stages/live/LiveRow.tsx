import { memo, useEffect, useRef } from "react";
import type { OperatingState, Signal } from "../../api/client";
import { KeepValue } from "../../ui/KeepValue";
import { ChartPanel } from "./ChartPanel";
import { Spark } from "./Spark";
import type { Track } from "./tracks";
import { digits, STANDS, stood } from "./words";

/** Least and largest since the mark, or how often the name changed. */
function Span({ track }: { track: Track }) {
  if (track.last?.meaning?.name != null || (track.name !== null && track.last?.raw == null)) {
    return <>{track.changes === 0 ? "steady" : `changed ${track.changes}×`}</>;
  }
  if (track.least === null || track.most === null) return <>–</>;
  return (
    <span className="num">
      {digits(track.least)} – {digits(track.most)}
    </span>
  );
}

/** What a module says of one signal: value, whether it is as it should be, what it was. */
export const LiveRow = memo(function LiveRow({
  signal,
  track,
  drawn,
  open,
  old,
  again,
  seen,
  draw,
  unfold,
  remove,
  state,
}: {
  signal: Signal;
  track: Track | undefined;
  /** Its large graph is shown. */
  drawn: boolean;
  /** Its chart and what can be done with it are shown. */
  open: boolean;
  /** How old the value is, in words; empty while it is fresh. */
  old: string;
  /** It is a recording that is looked at again. */
  again: boolean;
  seen: (id: string, on: boolean) => void;
  draw: (id: string) => void;
  unfold: (id: string) => void;
  remove: (id: string) => void;
  /** The state it was read in; none where that is the job's. */
  state: OperatingState | null;
}) {
  const row = useRef<HTMLLIElement>(null);
  useEffect(() => {
    const at = row.current;
    if (!at || !("IntersectionObserver" in window)) return;
    const watch = new IntersectionObserver(([e]) => seen(signal.id, e?.isIntersecting ?? false));
    watch.observe(at);
    return () => {
      watch.disconnect();
      seen(signal.id, false);
    };
  }, [signal.id, seen]);
  const last = track?.last;
  const stands = last?.stands ? STANDS[last.stands] : null;
  const real = last?.meaning?.real ?? true;
  const raw = last?.raw == null ? "" : `${digits(last.raw)} ${signal.unit}`.trim();
  const keep = again
    ? "It is a recording; go back to live to keep a value."
    : signal.weighs
      ? ""
      : "Only what follows a pin of its own module is weighed.";
  return (
    <li
      ref={row}
      data-signal={signal.id}
      className="border-b border-rule py-1.5"
      style={{ contentVisibility: "auto", containIntrinsicSize: "auto 52px" }}
    >
      <div className="grid grid-cols-[minmax(0,1fr)_7.5rem_7rem_6rem_6rem_1.75rem] items-center gap-3 max-lg:grid-cols-[minmax(0,1fr)_7.5rem_7rem_1.75rem]">
        <button
          type="button"
          className="min-h-11 min-w-0 text-left"
          aria-expanded={open}
          onClick={() => unfold(signal.id)}
        >
          <span className="block truncate font-semibold">{signal.name}</span>
          <span className="block truncate text-[13px] text-faint">
            {signal.source}
            {signal.sensor ? ` · sensor ${signal.sensor}` : ""}
          </span>
        </button>
        <div className="text-right leading-tight" data-value>
          {last?.raw == null ? (
            <>
              <span className="block text-[13px] text-ochre">{last ? last.why : "reading …"}</span>
              {track?.known && (
                <span className="block text-[13px] text-faint">
                  {stood(track.known.meaning)} {old}
                </span>
              )}
            </>
          ) : (
            <>
              <span className={`num text-[18px] font-semibold ${real ? "" : "text-faint"}`}>
                {!last.meaning ? raw : real ? stood(last.meaning) : `(${stood(last.meaning)})`}
              </span>
              <span className="block text-[13px] text-faint">
                {again
                  ? "kept"
                  : !last.meaning
                    ? "chart worked out …"
                    : !real
                      ? `substitute; pin ${raw}`
                      : signal.weighs && raw !== stood(last.meaning)
                        ? signal.sort === "counted"
                          ? raw
                          : `${raw} at the pin`
                        : old || "now"}
                {old && !again && signal.weighs ? ` · ${old}` : ""}
              </span>
            </>
          )}
        </div>
        <div className="text-[14px] leading-tight">
          {stands && (
            <span className={`font-semibold ${stands.colour}`}>
              {stands.sign} {stands.word}
            </span>
          )}
          {last?.stands === "differs" && (
            <span className="block text-[13px] text-faint">expected {stood(last.expected)}</span>
          )}
        </div>
        <div className="text-right text-[13px] max-lg:hidden">
          {track ? <Span track={track} /> : null}
        </div>
        <button
          type="button"
          aria-pressed={drawn}
          aria-label={`large graph of ${signal.name}`}
          className={`min-h-11 max-lg:hidden ${drawn ? "bg-ground outline outline-1 outline-copper" : ""}`}
          onClick={() => draw(signal.id)}
        >
          {track ? <Spark track={track} /> : null}
        </button>
        <button
          type="button"
          className="min-h-11 text-faint"
          aria-label={`stop watching ${signal.name}`}
          onClick={() => remove(signal.id)}
        >
          ×
        </button>
      </div>
      {open && (
        <div className="pl-1">
          {signal.felt && <ChartPanel signal={signal} volts={last?.raw ?? null} />}
          <div className="flex flex-wrap items-center gap-3 pb-2 text-[14px]">
            <KeepValue signal={signal.id} value={last?.raw} why={keep} state={state} />
            <span className="text-faint">
              {signal.codes.length > 0 && `looked at by ${signal.codes.join(", ")}`}
              {signal.codes.length > 0 && signal.functions.length > 0 && " · "}
              {signal.functions.length > 0 && `asked for by ${signal.functions.join(", ")}`}
            </span>
          </div>
        </div>
      )}
    </li>
  );
});
