/** Things to tick, all at first; keeps those that are not. */
export function Ticks({
  of,
  left,
  set,
}: {
  of: { id: string; name: string; count?: number }[];
  left: string[];
  set: (left: string[]) => void;
}) {
  return (
    <div className="flex flex-wrap gap-x-6">
      {of.map((o) => (
        <label key={o.id} className="flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            className="size-5"
            checked={!left.includes(o.id)}
            onChange={(e) =>
              set(e.target.checked ? left.filter((x) => x !== o.id) : [...left, o.id])
            }
          />
          {o.name} {o.count != null && <span className="num text-faint">{o.count}</span>}
        </label>
      ))}
    </div>
  );
}
