import { useState } from "react";
import type { Pasted } from "../../api/client";
import { post, useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";

type Code = Pasted["codes"][number] & { keep: boolean };

/** Codes typed, or pasted from another tool's report: read, shown, kept once confirmed. */
export function Paste() {
  const { view, act, busy } = useJob();
  const [text, setText] = useState("");
  const [codes, setCodes] = useState<Code[] | null>(null);
  const [silent, setSilent] = useState<string[]>([]);
  const [failure, setFailure] = useState("");
  const name = (id: string) => view.modules.find((m) => m.id === id)?.name ?? id;
  async function read() {
    setFailure("");
    try {
      const found = await post(view.id, "read-codes", { text });
      setCodes(found.codes.map((c) => ({ ...c, failing: c.failing ?? true, keep: true })));
      setSilent(found.silent);
    } catch (e) {
      setFailure(e instanceof Error ? e.message : String(e));
    }
  }
  const change = (at: number, more: Partial<Code>) =>
    setCodes((all) => all?.map((c, i) => (i === at ? { ...c, ...more } : c)) ?? null);
  const kept = codes?.filter((c) => c.keep) ?? [];
  const open = kept.filter((c) => c.module === "");
  return (
    <details className="mt-6 border-t border-rule pt-3">
      <summary className="min-h-11 cursor-pointer font-bold">
        Codes from another tool, typed or pasted
      </summary>
      <label className="mt-2 block">
        <span className="label block">any text: codes, modules, “no response”</span>
        <textarea
          className="field num h-28 w-full"
          value={text}
          placeholder={"Body module\nB1A11-14 active\nRear module: no response"}
          onChange={(e) => {
            setText(e.target.value);
            setCodes(null);
          }}
        />
      </label>
      <Button
        className="mt-2"
        why={text.trim() === "" ? "Paste or type something first." : ""}
        onClick={read}
      >
        Read it
      </Button>
      {failure && (
        <p role="alert" className="mt-2 text-oxide">
          {failure}
        </p>
      )}
      {codes && codes.length === 0 && silent.length === 0 && (
        <p className="mt-2">No code in it. A code looks like B1A11-14 or P0301.</p>
      )}
      {codes && (codes.length > 0 || silent.length > 0) && (
        <>
          <ul className="mt-3">
            {codes.map((c, i) => (
              <li
                key={`${c.line} ${c.code} ${c.failure_type}`}
                className="grid grid-cols-[2rem_8rem_13rem_9rem_1fr] items-center gap-3 border-b border-rule py-1"
              >
                <input
                  type="checkbox"
                  className="size-5"
                  aria-label={`keep ${c.code}`}
                  checked={c.keep}
                  onChange={(e) => change(i, { keep: e.target.checked })}
                />
                <span className="num font-semibold">
                  {c.code}
                  {c.failure_type && `-${c.failure_type}`}
                </span>
                <Combobox
                  label={`module of ${c.code}`}
                  placeholder="which module?"
                  clears
                  value={c.module}
                  choices={(c.could_be.length > 0 ? c.could_be : view.modules.map((m) => m.id)).map(
                    (id) => ({ id, text: name(id) }),
                  )}
                  set={(module) => change(i, { module })}
                />
                <label className="flex min-h-11 items-center gap-2">
                  <input
                    type="checkbox"
                    className="size-5"
                    checked={c.failing ?? true}
                    onChange={(e) => change(i, { failing: e.target.checked })}
                  />
                  failing now
                </label>
                <span className="truncate text-[14px] text-faint">
                  {c.meaning || "not in this vehicle file: kept, bears on nothing"}
                </span>
              </li>
            ))}
            {silent.map((m) => (
              <li key={m} className="flex items-center gap-3 border-b border-rule py-2">
                <span className="font-semibold">{name(m)}</span> is silent
                <button
                  type="button"
                  className="underline"
                  onClick={() => setSilent((all) => all.filter((x) => x !== m))}
                >
                  no, it is not
                </button>
              </li>
            ))}
          </ul>
          <Button
            look="act"
            className="mt-3"
            disabled={busy !== ""}
            why={
              open.length > 0
                ? "Say first which module each code is of."
                : kept.length + silent.length === 0
                  ? "Nothing of it is to be kept."
                  : ""
            }
            onClick={() =>
              act("typed-codes", {
                codes: kept.map(({ module, code, failure_type, failing }) => ({
                  module,
                  code,
                  failure_type,
                  failing: failing ?? true,
                })),
                silent,
              }).then(
                () => {
                  setText("");
                  setCodes(null);
                },
                () => {},
              )
            }
          >
            {open.length > 0
              ? `Choose the module of ${open.map((c) => c.code).join(", ")}`
              : `Keep ${kept.length} ${kept.length === 1 ? "code" : "codes"}`}
          </Button>
        </>
      )}
    </details>
  );
}
