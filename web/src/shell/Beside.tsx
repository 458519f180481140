import type { Strength, View } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";

type Asked = View["beside"][number];

const ANSWERS: [Strength, string][] = [
  ["normal", "works"],
  ["weak", "weak"],
  ["none", "dead"],
];

function Question({ asked }: { asked: Asked }) {
  const { act, busy } = useJob();
  const { part, state } = asked;
  return (
    <li className="flex items-center gap-1" data-beside={part}>
      <span className="flex-1 leading-tight">{asked.name}</span>
      {ANSWERS.map(([strength, word]) => (
        <Button
          key={strength}
          className="px-2"
          aria-label={`${asked.name} ${word}`}
          disabled={busy !== ""}
          onClick={() => act("found", { kind: "effect", part, strength, state }).catch(() => {})}
        >
          {word}
        </Button>
      ))}
    </li>
  );
}

/** What else works or fails nearby: one press each where it is known already. */
export function Beside() {
  const { view } = useJob();
  if (view.beside.length === 0) return null;
  return (
    <section aria-label="What else works" className="mt-3 text-[15px]">
      <h3 className="label">If you know it: does this work?</h3>
      <ul className="mt-1 space-y-1">
        {view.beside.map((asked) => (
          <Question key={asked.part} asked={asked} />
        ))}
      </ul>
    </section>
  );
}
