import { useState } from "react";
import { Button } from "../../../ui/Button";
import { type Content, useContent, useFrames } from "./api";
import { Beside, useBeside } from "./Beside";
import { Levels } from "./Levels";
import { around, type Stretch, told } from "./stretch";
import { Trace } from "./Trace";
import { useTap } from "./tap";

/** Frames that a found place is shown with around it. */
const AROUND = 12;

/** A capture as a sheet: what it is, what is wrong, the lines, and the frames under them. */
export function ScopeSheet({ job, number }: { job: number; number: number }) {
  const content = useContent(job, number);
  if (content.error)
    return (
      <p role="alert" className="py-2 text-oxide">
        {content.error.message}
      </p>
    );
  if (!content.data) return <p className="py-2 text-faint">Decoding …</p>;
  return <Sheet job={job} number={number} content={content.data} />;
}

function summary(c: Content): string {
  const rate = c.bit_rate ? `${Math.round(c.bit_rate / 100) / 10} kbit/s` : "";
  const data =
    c.data_rate && c.bit_rate && c.data_rate > 1.05 * c.bit_rate
      ? `data at ${Math.round(c.data_rate / 1000)} kbit/s`
      : "";
  const frames = `${c.frames} frames${c.wrong > 0 ? `, ${c.wrong} of them not right` : ""}`;
  const load = c.load > 0 ? `${Math.round(100 * c.load)} % of the time taken` : "";
  return [rate, data, frames, load].filter(Boolean).join(" · ");
}

function Sheet({ job, number, content }: { job: number; number: number; content: Content }) {
  const whole: Stretch = { from: content.from_s, to: content.to_s };
  const [shown, setShown] = useState<Stretch>(whole);
  const frames = useFrames(job, number, shown);
  // About a frame and its neighbours.
  const wide = content.bit_rate ? (AROUND * 130) / content.bit_rate : (whole.to - whole.from) / 50;
  const [found, setFound] = useState<number>();
  const tap = useTap(number, content);
  const beside = useBeside({ job, number, content, shown, frames: frames.data?.frames ?? [], tap });
  const go = (at: number) => {
    setFound(at);
    setShown(around(at, Math.min(wide, whole.to - whole.from), whole));
  };
  return (
    <div className="pb-4">
      <p className="text-[14px]">{summary(content)}</p>
      {content.trouble && <p className="text-ochre">◇ {content.trouble}</p>}
      {content.findings.length > 0 ? (
        <ul aria-label="findings" className="my-2">
          {content.findings.map((f) => (
            <li key={`${f.kind} ${f.at_s}`} data-finding={f.kind} className="flex gap-3">
              <Button look="quiet" onClick={() => go(f.at_s)}>
                <span className="num whitespace-nowrap">{told(f.at_s, whole.to - whole.from)}</span>
              </Button>
              <span className="py-2.5 text-oxide">{f.text}</span>
            </li>
          ))}
        </ul>
      ) : (
        content.frames > 0 && <p className="my-2 text-verdigris">Nothing is found to be wrong.</p>
      )}
      {content.lines.length > 0 && <Beside beside={beside} tap={tap} />}
      {content.lines.length > 0 && (
        <Trace
          job={job}
          number={number}
          content={content}
          whole={whole}
          shown={shown}
          setShown={setShown}
          found={found}
          frames={frames.data?.frames ?? []}
          bands={beside.bands}
          ghost={beside.ghost}
        />
      )}
      {content.frames > 0 && content.lines.length >= (content.bus === "lin" ? 1 : 2) && (
        <Levels number={number} tap={tap} />
      )}
      <div className="mt-2 max-h-72 overflow-y-auto">
        <table className="w-full text-[14px]">
          <thead>
            <tr className="border-b border-ink text-left">
              <th className="py-1">time</th>
              <th>identifier</th>
              <th>data</th>
              <th>not right</th>
            </tr>
          </thead>
          <tbody>
            {frames.data?.frames.map((f) => (
              <tr key={f.number} data-frame={f.number} className="border-b border-rule align-top">
                <td className="num py-0.5">{told(f.from_s, whole.to - whole.from)}</td>
                <td className="num">{f.id || "–"}</td>
                <td className="num">{(f.data.match(/../g) ?? []).join(" ")}</td>
                <td className="text-oxide">{f.error}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {frames.data && frames.data.all > frames.data.frames.length && (
        <p className="label">
          The first {frames.data.frames.length} of {frames.data.all} frames in what is shown; show a
          shorter stretch for the others.
        </p>
      )}
      <a
        className="quiet inline-flex items-center"
        href={`/api/jobs/${job}/captures/${number}/file`}
      >
        the file as it came in
      </a>
    </div>
  );
}
