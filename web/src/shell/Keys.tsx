import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Menu } from "../ui/Menu";
import { toggleTheme } from "./theme";
import { lettersOff, switchLetters, typedIn } from "./typed";

const KEYS = [
  ["/", "find anything"],
  ["1 … 0", "stages, in their order"],
  ["m", "type the value of the next check"],
  ["Enter", "take the value; follow the conductor chosen on the sheet"],
  ["+ − arrows", "on the sheet: larger, smaller, move it"],
  ["k p", "on live values: mark what the hand did; pause"],
  ["s", "fold the suspects"],
  ["?", "these keys"],
];

/** What needs no place of its own, at the foot of the stages: theme, keys, the way to other jobs. */
export function Keys() {
  const navigate = useNavigate();
  const [open, setOpen] = useState(false);
  const [off, setOff] = useState(lettersOff);
  useEffect(() => {
    function key(e: KeyboardEvent) {
      if (e.key === "?" && !typedIn(e)) setOpen(true);
    }
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  return (
    <div className="mt-4 px-5 text-[14px] max-xl:px-3 max-md:mt-0">
      <Menu
        trigger={<Button look="quiet">more</Button>}
        offers={[
          { text: "Day or night", does: toggleTheme },
          { text: "Keys", does: () => setOpen(true) },
          { text: "All jobs", does: () => navigate({ to: "/" }) },
        ]}
      />
      <Dialog title="Keys" open={open} setOpen={setOpen}>
        <dl className="grid grid-cols-[6.5rem_1fr] gap-y-2">
          {KEYS.map(([key, does]) => (
            <div key={key} className="contents">
              <dt className="num">{key}</dt>
              <dd>{does}</dd>
            </div>
          ))}
        </dl>
        <label className="mt-4 flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            checked={!off}
            onChange={(e) => {
              switchLetters(e.target.checked);
              setOff(!e.target.checked);
            }}
          />
          Keys of one letter act
        </label>
        <Button className="mt-2" onClick={() => setOpen(false)}>
          Close
        </Button>
      </Dialog>
    </div>
  );
}
