import { useEffect, useState } from "react";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { toggleTheme } from "./theme";
import { lettersOff, switchLetters, typedIn } from "./typed";

const KEYS = [
  ["/", "find anything"],
  ["1 … 0", "stages, in their order"],
  ["m", "type the value of the next check"],
  ["Enter", "take the value; follow the conductor chosen on the sheet"],
  ["+ − arrows", "on the sheet: larger, smaller, move it"],
  ["s", "fold the suspects"],
  ["?", "these keys"],
];

/** Keys and theme, at the foot of the stages. */
export function Keys() {
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
    <div className="mt-4 flex flex-col items-start px-5 text-[14px] max-xl:px-3 max-md:hidden">
      <Button look="quiet" onClick={toggleTheme}>
        day / night
      </Button>
      <Dialog
        title="Keys"
        open={open}
        setOpen={setOpen}
        trigger={<Button look="quiet">keys</Button>}
      >
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
