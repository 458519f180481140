import type { components } from "../api/generated";
import { wanted } from "./scale";

type Aim = components["schemas"]["Aim"];
type Procedure = components["schemas"]["ProcedureView"];
type Stage = components["schemas"]["StageView"];

/** What values have to be, in a line. */
export function aimed(aims: Aim[]): string {
  const said = (a: Aim) => a.word || wanted(a.least ?? null, a.most ?? null, a.unit);
  return aims.map((a) => `${a.name}: ${said(a)}`).join(", ");
}

function asks(stage: Stage): string {
  const hold = stage.hold_s > 0 ? [`for ${stage.hold_s} s`] : [];
  const within = stage.within_s == null ? [] : [`within ${stage.within_s} s`];
  return [aimed(stage.aims), ...hold, ...within].join(", ");
}

/** The stages of a procedure, with the one it is in. */
export function Stages({ of, now }: { of: Procedure; now?: number }) {
  return (
    <ol className="border-t border-ink">
      {of.stages.map((s, k) => {
        const passed = now !== undefined && k < now;
        const is = now === k;
        return (
          <li
            key={s.name}
            aria-current={is ? "step" : undefined}
            className={`grid grid-cols-[2rem_1fr] border-b border-rule py-2 ${is ? "font-bold" : ""} ${passed ? "text-faint" : ""}`}
          >
            <span className={`num ${passed ? "text-verdigris" : is ? "text-copper" : ""}`}>
              {passed ? "●" : k + 1}
            </span>
            <span>
              {s.name}
              {now === undefined && <span className="block text-[14px] text-faint">{asks(s)}</span>}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
