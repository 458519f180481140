import { useCombobox } from "downshift";
import { Popover } from "radix-ui";
import { type ChangeEvent, type MouseEvent, type ReactNode, useId, useState } from "react";
import { Headed } from "./Headed";
import { type Choice, exact, matches } from "./search";

/** Matches listed at once. */
const MOST = 9;

/**
 * One of many, found by any word of its name, its id or its sort. Enter takes the first match; where ids
 * are shown, one typed whole is taken at once. What nothing is called is said, and leaves what was chosen as
 * it was.
 */
export function Combobox<C extends Choice>({
  label,
  heading,
  value,
  set,
  choices,
  placeholder,
  hint,
  byId = false,
  clears = false,
  className = "field",
  disabled = false,
}: {
  /** What is chosen, for who cannot see where it stands. */
  label: string;
  /** Stands above it. */
  heading?: ReactNode;
  /** Id of what is chosen; empty for nothing. */
  value: string;
  set: (id: string) => void;
  choices: C[];
  /** Shown while nothing is chosen. */
  placeholder?: string;
  /** Shown while nothing is typed yet; else the placeholder. */
  hint?: string;
  /** What is chosen shows by its id, as cavities do. */
  byId?: boolean;
  /** An emptied field chooses nothing. */
  clears?: boolean;
  className?: string;
  disabled?: boolean;
}) {
  // What is being typed; none while nobody types.
  const [typed, setTyped] = useState<string>();
  const found = typed === undefined ? [] : matches(choices, typed, MOST);
  const chosen = choices.find((c) => c.id === value);
  const shown = byId ? value : (chosen?.text ?? "");
  const box = useCombobox<C>({
    items: found,
    itemToString: (c) => c?.text ?? "",
    inputValue: typed ?? shown,
    selectedItem: null,
    defaultHighlightedIndex: typed ? 0 : -1,
    stateReducer: (_, { type, changes }) => {
      // Whoever passes by chooses nothing but what was named whole.
      const passes = type === useCombobox.stateChangeTypes.InputBlur;
      return passes ? { ...changes, selectedItem: exact(choices, typed ?? "") ?? null } : changes;
    },
    onSelectedItemChange: ({ selectedItem }) => {
      if (selectedItem) set(selectedItem.id);
      setTyped(undefined);
    },
    onIsOpenChange: ({ isOpen }) => {
      if (!isOpen) setTyped(undefined);
    },
  });
  const take = (text: string) => {
    setTyped(text);
    const meant = byId ? exact(choices, text) : undefined;
    if (meant) set(meant.id);
    else if (clears && text === "") set("");
  };
  const id = useId();
  const open = box.isOpen && typed !== undefined;
  return (
    <Headed heading={heading} of={id}>
      <Popover.Root open={open}>
        <Popover.Anchor asChild>
          <input
            {...box.getInputProps({
              id,
              "aria-label": label,
              // Kept at once: told of later, a key typed meanwhile would be lost.
              onChange: (e: ChangeEvent<HTMLInputElement>) => take(e.currentTarget.value),
              onFocus: (e) => {
                setTyped("");
                e.currentTarget.select();
                box.openMenu();
              },
              onClick: (e: MouseEvent) => {
                // The first touch has opened it by the focus: it is not to close it again.
                Object.assign(e.nativeEvent, { preventDownshiftDefault: true });
                setTyped((before) => before ?? "");
                box.openMenu();
              },
              onKeyDown: (e) => {
                if (e.key === "Escape") e.currentTarget.blur();
                // What nothing is called stays, with the word that says so.
                if (e.key === "Enter" && typed && found.length === 0)
                  Object.assign(e.nativeEvent, { preventDownshiftDefault: true });
              },
            })}
            value={typed ?? shown}
            disabled={disabled}
            placeholder={typed === undefined ? placeholder : (hint ?? shown) || placeholder}
            className={className}
          />
        </Popover.Anchor>
        <Popover.Portal>
          <Popover.Content
            role="presentation"
            align="start"
            sideOffset={2}
            onOpenAutoFocus={(e) => e.preventDefault()}
            onCloseAutoFocus={(e) => e.preventDefault()}
            className="z-40 max-h-(--radix-popover-content-available-height) w-(--radix-popover-trigger-width) min-w-72 overflow-y-auto border border-ink bg-sheet"
          >
            <ul {...box.getMenuProps({ "aria-label": label }, { suppressRefError: true })}>
              {found.map((c, k) => (
                <li
                  key={c.id}
                  {...box.getItemProps({ item: c, index: k })}
                  data-id={c.id}
                  className={`flex min-h-11 cursor-pointer items-center gap-3 px-3 ${k === box.highlightedIndex ? "bg-ground" : ""}`}
                >
                  {c.sort && <span className="label w-20 shrink-0">{c.sort}</span>}
                  {byId && !c.text.startsWith(c.id) && (
                    <span className="num shrink-0 font-semibold">{c.id}</span>
                  )}
                  <span className="truncate">{c.text}</span>
                </li>
              ))}
            </ul>
            {found.length === 0 && (
              <p role="status" className="px-3 py-2 text-faint">
                Nothing here is called that. Try a number, a colour or part of a name.
              </p>
            )}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </Headed>
  );
}
