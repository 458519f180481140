import type { OperatingState, Signal } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { type Group, groups, spread } from "./agree";
import type { Track } from "./tracks";
import { digits } from "./words";

/** A sensor's name, or the signal's where two come from one sensor. */
function label(signal: Signal, group: Group): string {
  const twin = group.members.some(
    (m) => m.signal.id !== signal.id && m.signal.sensor === signal.sensor,
  );
  return signal.sensor && !twin ? signal.sensor : signal.name;
}

/** Values that should agree, as they stand, and the press that lets them count together. */
export function Agree({
  signals,
  tracks,
  state,
}: {
  signals: Signal[];
  tracks: Map<string, Track>;
  /** The state they were read in; none where that is the job's. */
  state: OperatingState | null;
}) {
  const { view, act, busy } = useJob();
  const found = groups(signals, tracks);
  if (found.length === 0) return null;
  return (
    <section aria-label="Should agree" className="mt-4 border-t border-ink pt-2">
      <h2 className="font-semibold">Should agree</h2>
      <ul>
        {found.map((group) => {
          const apart = spread(group);
          const values = group.members.map((m) => ({ signal: m.signal.id, value: m.raw }));
          return (
            <li
              key={group.what}
              data-group={group.what}
              className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule py-1 text-[14px]"
            >
              <span className="min-w-44 font-semibold">{group.what}</span>
              <span className="min-w-0 grow">
                {group.members.map((m, k) => (
                  <span key={m.signal.id} title={m.signal.name} className="mr-3 inline-block">
                    <span className="text-faint">{label(m.signal, group)}</span>{" "}
                    <span className="num">
                      {m.real && m.felt != null ? digits(m.felt) : "not real"}
                    </span>
                    {k === group.members.length - 1 && m.real ? ` ${group.unit}` : ""}
                  </span>
                ))}
              </span>
              <span className="num text-faint">
                {apart === null ? "" : `${digits(apart)} ${group.unit} apart`}
              </span>
              <Button
                look="quiet"
                disabled={busy !== ""}
                onClick={() =>
                  act("found", {
                    kind: "together",
                    values,
                    apart: group.apart,
                    state: state ?? view.state,
                  }).catch(() => {})
                }
              >
                {group.apart > 0 ? "It stood overnight: let them count" : "Let them count together"}
              </Button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
