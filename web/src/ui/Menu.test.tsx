import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { wrong } from "../test/axe";
import { Button } from "./Button";
import { Menu } from "./Menu";

test("opens and chooses by keys alone, and says why something cannot be done", async () => {
  const turn = vi.fn();
  const never = vi.fn();
  render(
    <Menu
      trigger={<Button>More</Button>}
      offers={[
        { text: "Print", does: never, why: "Nothing to print yet." },
        { text: "Turn it over", does: turn },
      ]}
    />,
  );
  await userEvent.tab();
  await userEvent.keyboard("{Enter}");
  expect(screen.getByRole("menuitem", { name: /Print/ }).getAttribute("aria-disabled")).toBe(
    "true",
  );
  expect(screen.getByText("Nothing to print yet.")).toBeTruthy();
  expect(await wrong(screen.getByRole("menu"))).toEqual([]);
  // The one that cannot be done is passed over.
  await userEvent.keyboard("{ArrowDown}{Enter}");
  expect(turn).toHaveBeenCalledOnce();
  expect(never).not.toHaveBeenCalled();
  expect(screen.queryByRole("menu")).toBeNull();
});
