import type { View } from "../../api/client";
import { ModuleMark } from "../../ui/ModuleMark";

type Scanned = NonNullable<View["scan"]>["modules"];

/** Every module the vehicle should have, with its mark. */
export function Modules({ modules }: { modules: Scanned }) {
  const asked = modules.filter((m) => m.asked);
  const expected = modules.filter((m) => !m.unexpected);
  if (asked.length === 0) return null;
  return (
    <section aria-label="Modules" className="mt-6">
      <h2 className="font-bold">
        {expected.filter((m) => m.answered).length} of {expected.length} modules answer
      </h2>
      <ul className="mt-1 columns-2 gap-6">
        {asked.map((m) => (
          <li
            key={m.id}
            className="flex break-inside-avoid items-center gap-3 py-1"
            data-module={m.id}
          >
            <ModuleMark asked={m.asked} answered={m.answered} codes={m.codes.length} />
            <span className="truncate">{m.name}</span>
            <span className="num text-faint">{m.id}</span>
            <span className="label ml-auto truncate" title={m.trouble}>
              {m.unexpected
                ? "answers, not expected"
                : m.answered
                  ? m.trouble || `${m.passed} passed`
                  : "silent"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
