import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, test } from "vitest";
import { wrong } from "../test/axe";
import { Tabs } from "./Tabs";

type Id = "read" | "look";

function Held() {
  const [value, set] = useState<Id | "">("");
  return (
    <Tabs<Id>
      label="a check"
      value={value}
      set={set}
      fold={() => set("")}
      tabs={[
        { id: "read", text: "Read", body: <p>a reading</p> },
        { id: "look", text: "Look", body: <p>what one sees</p> },
      ]}
    />
  );
}

test("folded until a tab is chosen, and folded again", async () => {
  render(<Held />);
  expect(screen.queryByText("a reading")).toBeNull();
  await userEvent.click(screen.getByRole("tab", { name: "Read" }));
  expect(screen.getByText("a reading")).toBeTruthy();
  expect(await wrong()).toEqual([]);
  await userEvent.click(screen.getByRole("button", { name: "fold" }));
  expect(screen.queryByText("a reading")).toBeNull();
});

test("arrows go from tab to tab", async () => {
  render(<Held />);
  await userEvent.click(screen.getByRole("tab", { name: "Read" }));
  await userEvent.keyboard("{ArrowRight}");
  expect(screen.getByText("what one sees")).toBeTruthy();
});
