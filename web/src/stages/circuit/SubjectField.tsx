import type { Subject } from "../../api/client";
import { Combobox } from "../../ui/Combobox";

/** Kinds of what a sheet can be about, as they are shown. */
export const SUBJECT_KINDS: Record<string, string> = {
  output: "output",
  function: "function",
  part: "component",
  connector: "connector",
  ground: "ground",
  splice: "splice",
  code: "code",
  wire: "conductor",
};

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
  return (
    <div className="min-w-0 flex-1 max-md:basis-full">
      <Combobox
        label="circuit of"
        className="min-h-11 w-full border-b border-rule bg-transparent text-xl font-bold placeholder:text-ink focus:placeholder:text-faint"
        placeholder={title || "…"}
        hint="component, code, connector, ground, fuse, conductor"
        value=""
        choices={subjects.map((s) => ({
          id: s.id,
          text: s.name,
          sort: SUBJECT_KINDS[s.id.split(":")[0] ?? ""],
        }))}
        set={choose}
      />
    </div>
  );
}
