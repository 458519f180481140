import type { OperatingState } from "../../api/client";
import { useJob } from "../../api/job";

/** States in one strip: the key as buttons, what runs besides from a list, unplugging beside them. */
export function StateStrip() {
  const { view, act, busy } = useJob();
  const unplugged = view.state.unplugged ?? [];
  const bare = (s: OperatingState) => JSON.stringify({ ...s, unplugged: [] });
  const set = (state: OperatingState) => act("state", { state }).catch(() => {});
  const isKey = (s: OperatingState) =>
    Object.keys(s).every((k) => ["key", "engine", "unplugged"].includes(k));
  const keys = view.states.filter((s) => isKey(s.state));
  const others = view.states.filter((s) => !isKey(s.state));
  const now = view.states.find((s) => bare(s.state) === bare(view.state));
  const field = "min-h-11 min-w-0 border border-ink px-1 text-[13px]";
  return (
    <fieldset className="flex items-center gap-2" aria-label="operating state">
      <div className="flex border border-ink">
        {keys.map((s) => (
          <button
            key={s.id}
            type="button"
            aria-pressed={s === now}
            disabled={busy !== ""}
            className={`min-h-11 border-r border-rule px-2.5 text-[13px] leading-tight whitespace-nowrap last:border-r-0 ${s === now ? "bg-ink text-sheet" : ""}`}
            onClick={() => set({ ...s.state, unplugged })}
          >
            {s.name}
          </button>
        ))}
      </div>
      <select
        aria-label="what runs"
        disabled={busy !== ""}
        className={`${field} max-w-52 ${now && !isKey(now.state) ? "bg-ink text-sheet" : "bg-sheet"}`}
        value={now && !isKey(now.state) ? now.id : ""}
        onChange={(e) => {
          const s = others.find((o) => o.id === e.target.value);
          if (s) set({ ...s.state, unplugged });
        }}
      >
        <option value="">{now ? "with something running …" : "as set"}</option>
        {others.map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
      </select>
      <select
        aria-label="unplug"
        disabled={busy !== ""}
        className={`${field} max-w-44 flex-1 bg-sheet ${unplugged.length > 0 ? "border-ochre text-ochre" : ""}`}
        value=""
        onChange={(e) => {
          const id = e.target.value;
          if (id === "*") set({ ...view.state, unplugged: [] });
          else if (id) set({ ...view.state, unplugged: [...unplugged, id] });
        }}
      >
        <option value="">unplugged: {unplugged.join(", ") || "none"}</option>
        {unplugged.length > 0 && <option value="*">plug all in</option>}
        {view.connectors.map((c) => (
          <option key={c.id} value={c.id}>
            {c.id} {c.name}
          </option>
        ))}
      </select>
    </fieldset>
  );
}
