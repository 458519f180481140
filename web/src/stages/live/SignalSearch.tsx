import { useState } from "react";
import type { Signal } from "../../api/client";
import { Button } from "../../ui/Button";
import { matches } from "../../ui/search";

/** Matches listed at once; all found can be watched in one press. */
const MOST = 8;

/** Signals found by any word: name, module, code, pin, sensor, function. */
export function SignalSearch({
  signals,
  watched,
  add,
}: {
  signals: Signal[];
  watched: string[];
  add: (ids: string[]) => void;
}) {
  const [words, setWords] = useState("");
  const choices = signals
    .filter((s) => !watched.includes(s.id))
    .map((s) => ({
      id: s.id,
      text: `${s.name} ${s.module_name} ${s.source} ${s.felt ?? ""} ${s.codes.join(" ")} ${s.functions.join(" ")}`,
      sort: `${s.module} ${s.sensor ?? ""} ${s.physical_unit || s.unit}`,
      of: s,
    }));
  const found = words.trim() ? matches(choices, words, choices.length) : [];
  const take = (ids: string[]) => {
    add(ids);
    setWords("");
  };
  return (
    <div className="max-w-2xl">
      <label className="label block" htmlFor="find-signal">
        watch, found by name, module, code, pin, sensor or function
      </label>
      <input
        id="find-signal"
        type="search"
        className="field"
        placeholder="coolant, A10, P0117, flap …"
        autoComplete="off"
        value={words}
        onChange={(e) => setWords(e.target.value)}
        onKeyDown={(e) => {
          const first = found[0];
          if (e.key === "Enter" && first) take([first.id]);
          if (e.key === "Escape") setWords("");
        }}
      />
      {words.trim() !== "" && (
        <ul aria-label="signals found" className="border-x border-b border-ink bg-sheet">
          {found.slice(0, MOST).map(({ of }) => (
            <li key={of.id}>
              <button
                type="button"
                className="flex min-h-11 w-full items-baseline justify-between gap-4 border-t border-rule px-3 py-2 text-left hover:bg-ground"
                onClick={() => take([of.id])}
              >
                <span>
                  {of.name}
                  {of.unreadable && (
                    <span className="text-[13px] text-ochre"> cannot be read: {of.unreadable}</span>
                  )}
                </span>
                <span className="num text-[13px] text-faint">
                  {of.module_name} {of.module}
                </span>
              </button>
            </li>
          ))}
          {found.length > 1 && (
            <li className="border-t border-rule px-3">
              <Button look="quiet" onClick={() => take(found.map((f) => f.id))}>
                Watch all {found.length} found
              </Button>
            </li>
          )}
          {found.length === 0 && (
            <li className="px-3 py-3">
              {signals.some((s) => watched.includes(s.id)) &&
              matches(
                signals.map((s) => ({ id: s.id, text: `${s.name} ${s.module_name}` })),
                words,
                1,
              ).length > 0
                ? "All that is called so is being watched."
                : `No signal is called “${words}”. Try its module, its pin or its code.`}
            </li>
          )}
        </ul>
      )}
    </div>
  );
}
