import { useState } from "react";
import type { Subject } from "../../api/client";

const KINDS: Record<string, string> = {
  output: "output",
  function: "function",
  part: "component",
  connector: "connector",
  ground: "ground",
  splice: "splice",
  code: "code",
  wire: "conductor",
};
const MOST = 9;

/** Best matches first: every word somewhere, the id itself before anything else. */
function matches(subjects: Subject[], text: string) {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return subjects.slice(0, MOST);
  return subjects
    .flatMap((s) => {
      const hay = `${KINDS[s.id.split(":")[0] ?? ""]} ${s.id} ${s.name}`.toLowerCase();
      if (!words.every((w) => hay.includes(w))) return [];
      const own = s.id.slice(s.id.indexOf(":") + 1).toLowerCase();
      const rank =
        own === words.join(" ") ? 0 : s.name.toLowerCase().startsWith(words[0] ?? "") ? 1 : 2;
      return [{ s, rank }];
    })
    .sort((a, b) => a.rank - b.rank)
    .slice(0, MOST)
    .map(({ s }) => s);
}

/** What the sheet is about, and a field to make it about something else. */
export function SubjectField({
  title,
  subjects,
  choose,
}: {
  title: string;
  subjects: Subject[];
  choose: (id: string) => void;
}) {
  const [text, setText] = useState<string>();
  const [mark, setMark] = useState(0);
  const found = text === undefined ? [] : matches(subjects, text);
  const take = (s: Subject | undefined) => {
    if (!s) return;
    choose(s.id);
    setText(undefined);
  };
  return (
    <div className="relative min-w-0 flex-1">
      <input
        aria-label="circuit of"
        role="combobox"
        aria-expanded={text !== undefined}
        aria-controls="subjects"
        className="min-h-11 w-full border-b border-rule bg-transparent text-xl font-bold placeholder:text-ink focus:placeholder:text-faint"
        placeholder={
          text === undefined ? title || "…" : "component, code, connector, ground, fuse, conductor"
        }
        value={text ?? ""}
        onFocus={() => setText("")}
        onBlur={() => setText(undefined)}
        onChange={(e) => {
          setText(e.target.value);
          setMark(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setMark(Math.min(mark + 1, found.length - 1));
          else if (e.key === "ArrowUp") setMark(Math.max(mark - 1, 0));
          else if (e.key === "Enter") {
            take(found[mark]);
            e.currentTarget.blur();
          } else if (e.key === "Escape") e.currentTarget.blur();
          else return;
          e.preventDefault();
        }}
      />
      {text !== undefined && (
        <div
          id="subjects"
          role="listbox"
          className="absolute z-20 w-full border border-ink bg-sheet"
        >
          {found.map((s, k) => (
            <div
              key={s.id}
              role="option"
              tabIndex={-1}
              aria-selected={k === mark}
              className={`flex min-h-11 cursor-pointer items-center gap-3 px-3 ${k === mark ? "bg-ground" : ""}`}
              onPointerDown={(e) => {
                e.preventDefault();
                take(s);
              }}
            >
              <span className="label w-20 shrink-0">{KINDS[s.id.split(":")[0] ?? ""]}</span>
              <span className="truncate">{s.name}</span>
            </div>
          ))}
          {found.length === 0 && (
            <p className="px-3 py-2 text-faint">
              Nothing here is called that. Try a number, a colour or part of a name.
            </p>
          )}
        </div>
      )}
    </div>
  );
}
