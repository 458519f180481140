import type { components } from "../api/generated";
import { digits } from "../stages/live/words";
import { onLine, wanted } from "./scale";

type Aim = components["schemas"]["Aim"];
type Said = components["schemas"]["SaidNow"];

/** A value in figures readable at arm's length, with the band it has to be in. */
export function AimLine({ aim, said, lacks }: { aim: Aim; said?: Said; lacks: boolean }) {
  const [least, most] = [aim.least ?? null, aim.most ?? null];
  const at = said && !aim.word ? onLine(least, most, said.value) : null;
  const colour = lacks ? "text-copper" : "text-verdigris";
  return (
    <li data-aim={aim.signal} data-lacks={lacks} className="border-b border-rule py-3">
      <div className="flex flex-wrap items-baseline gap-x-5">
        <span
          className={`num text-[116px] leading-none font-semibold max-md:text-[76px] ${colour}`}
        >
          {said ? said.word || digits(said.value) : "–"}
        </span>
        <span className="text-[30px]">{said?.word ? "" : aim.unit}</span>
        <span className="ml-auto text-right text-[22px]">
          {aim.name}
          <span className="num block text-[26px] font-semibold">
            {aim.word || wanted(least, most, aim.unit)}
          </span>
        </span>
      </div>
      {at && (
        <div aria-hidden className="relative mt-2 h-5">
          <div className="absolute top-[9px] h-[2px] w-full bg-rule" />
          <div
            className="absolute top-[5px] h-[10px] border-x-2 border-ink bg-verdigris/35"
            style={{ left: `${100 * at.band[0]}%`, width: `${100 * (at.band[1] - at.band[0])}%` }}
          />
          <div
            className={`absolute top-0 h-5 w-[6px] -translate-x-1/2 ${lacks ? "bg-copper" : "bg-verdigris"}`}
            style={{ left: `${100 * at.at}%` }}
          />
        </div>
      )}
    </li>
  );
}
