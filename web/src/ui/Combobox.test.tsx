import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import { wrong } from "../test/axe";
import { Combobox } from "./Combobox";

const CHOICES = [
  { id: "tow_bar", text: "tow bar", sort: "equipment" },
  { id: "wire:61", text: "conductor 61 GN/YE, K9.87 to C4.7:cabin", sort: "conductor" },
  { id: "wire:8", text: "conductor 8 RD, 30 to F23.1", sort: "conductor" },
  { id: "part:M7", text: "M7 Rear washer pump", sort: "component" },
];

function Held({ set }: { set: (id: string) => void }) {
  const [value, setValue] = useState("");
  return (
    <Combobox
      label="thing"
      value={value}
      choices={CHOICES}
      set={(id) => {
        setValue(id);
        set(id);
      }}
    />
  );
}

async function typed(words: string) {
  const set = vi.fn();
  render(<Held set={set} />);
  await userEvent.click(screen.getByRole("combobox", { name: "thing" }));
  await userEvent.keyboard(words);
  return set;
}

test("some words and Enter are enough", async () => {
  expect(await typed("tow bar{Enter}")).toHaveBeenCalledWith("tow_bar");
});

test("words count in any order, and colours by their names", async () => {
  expect(await typed("yellow c4.7 61{Enter}")).toHaveBeenCalledWith("wire:61");
});

test("the arrows go from one to the next", async () => {
  expect(await typed("conductor{ArrowDown}{Enter}")).toHaveBeenCalledWith("wire:8");
});

test("what nothing is called is said, and leaves what was chosen", async () => {
  const set = await typed("gearbox{Enter}");
  expect(screen.getByText(/Nothing here is called that/)).toBeTruthy();
  await userEvent.tab();
  expect(set).not.toHaveBeenCalled();
});

test("it can be used without seeing", async () => {
  await typed("co");
  expect(await wrong()).toEqual([]);
});
