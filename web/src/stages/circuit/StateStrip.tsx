import type { OperatingState } from "../../api/client";
import { useJob } from "../../api/job";
import { Combobox } from "../../ui/Combobox";
import { Select } from "../../ui/Select";

/** Stands for all connectors; no connector is called so. */
const ALL = "*";

/** States in one strip: the key as buttons, what runs besides from a list, unplugging beside them. */
export function StateStrip() {
  const { view, act, busy } = useJob();
  const unplugged = view.state.unplugged ?? [];
  const rerouted = view.state.rerouted ?? [];
  const apart = [...unplugged, ...rerouted];
  const bare = (s: OperatingState) => JSON.stringify({ ...s, unplugged: [], rerouted: [] });
  const set = (state: OperatingState) => act("state", { state }).catch(() => {});
  const isKey = (s: OperatingState) =>
    Object.keys(s).every((k) => ["key", "engine", "unplugged", "rerouted"].includes(k));
  const keys = view.states.filter((s) => isKey(s.state));
  const others = view.states.filter((s) => !isKey(s.state));
  const now = view.states.find((s) => bare(s.state) === bare(view.state));
  const field = "min-h-11 min-w-0 border border-ink px-1 text-[13px]";
  return (
    <fieldset className="flex flex-wrap items-center gap-2" aria-label="operating state">
      <div className="flex border border-ink">
        {keys.map((s) => (
          <button
            key={s.id}
            type="button"
            aria-pressed={s === now}
            disabled={busy !== ""}
            className={`min-h-11 border-r border-rule px-2.5 text-[13px] leading-tight whitespace-nowrap last:border-r-0 ${s === now ? "bg-ink text-sheet" : ""}`}
            onClick={() => set({ ...s.state, unplugged, rerouted })}
          >
            {s.name}
          </button>
        ))}
      </div>
      <Select
        label="what runs"
        disabled={busy !== ""}
        className={`${field} max-w-52 ${now && !isKey(now.state) ? "bg-ink text-sheet" : "bg-sheet"}`}
        value={now && !isKey(now.state) ? now.id : ""}
        choices={[
          { id: "", text: now ? "with something running …" : "as set" },
          ...others.map((s) => ({ id: s.id, text: s.name })),
        ]}
        set={(id) => {
          const s = others.find((o) => o.id === id);
          if (s) set({ ...s.state, unplugged, rerouted });
        }}
      />
      <Combobox
        label="unplug"
        disabled={busy !== ""}
        className={`${field} max-w-44 flex-1 bg-sheet ${apart.length > 0 ? "border-ochre placeholder:text-ochre" : ""}`}
        placeholder={`unplugged: ${apart.join(", ") || "none"}`}
        hint="which connector?"
        value=""
        choices={[
          ...(apart.length > 0 ? [{ id: ALL, text: "plug all in" }] : []),
          ...view.connectors
            .filter((c) => !unplugged.includes(c.id))
            .map((c) => ({ id: c.id, text: `${c.id} ${c.name}` })),
        ]}
        set={(id) => {
          if (id === ALL) set({ ...view.state, unplugged: [], rerouted: [] });
          else set({ ...view.state, unplugged: [...unplugged, id] });
        }}
      />
    </fieldset>
  );
}
