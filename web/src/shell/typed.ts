/** Where a letter is meant for what has the focus, not for the shortcuts. */
const TYPED_IN =
  "input, textarea, [role='combobox'], [role='listbox'], [role='menu'], [role='dialog']";

/** Whether shortcuts of one letter are switched off on this machine. */
export const lettersOff = () => localStorage.getItem("letters") === "off";

/** Switches them off or on. */
export const switchLetters = (on: boolean) => localStorage.setItem("letters", on ? "on" : "off");

/** Whether a key is meant for what has the focus, or for nothing because shortcuts are switched off. */
export function typedIn(e: KeyboardEvent): boolean {
  const typing = e.target instanceof Element && e.target.closest(TYPED_IN) !== null;
  return typing || e.ctrlKey || e.metaKey || e.altKey || lettersOff();
}
