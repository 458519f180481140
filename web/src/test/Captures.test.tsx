import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { Refused } from "../api/client";

vi.mock("../api/job", () => ({ useJob: () => ({ view: { id: 7, ledger: [] } }) }));
const send = vi.fn();
vi.mock("../stages/network/captures/api", () => ({ send: (...sent: unknown[]) => send(...sent) }));

const { TakeIn } = await import("../stages/network/captures/TakeIn");

function shown(taken = () => {}) {
  return render(
    <QueryClientProvider client={new QueryClient()}>
      <TakeIn taken={taken} />
    </QueryClientProvider>,
  );
}

const file = new File(["2.5\n2.6\n"], "bare.csv");

test("what a file does not say is asked for, and sent with it", async () => {
  send.mockImplementationOnce(() => ({
    done: Promise.reject(
      new Refused({
        detail: "there is no time column; tell the sample rate",
        errors: [{ pointer: "/sample_rate", detail: "there is no time column" }],
      }),
    ),
    stop: () => {},
  }));
  const taken = vi.fn();
  shown(taken);
  await userEvent.upload(screen.getByLabelText("capture file"), file);
  expect((await screen.findByRole("alert")).textContent).toContain(
    "bare.csv: there is no time column",
  );
  expect(taken).not.toHaveBeenCalled();
  send.mockReturnValueOnce({ done: Promise.resolve(), stop: () => {} });
  await userEvent.type(screen.getByLabelText("Samples a second"), "1e6");
  await userEvent.click(screen.getByRole("button", { name: "Read bare.csv so" }));
  expect(send.mock.lastCall?.slice(0, 4)).toEqual([7, file, "can", "1e6"]);
  expect(taken).toHaveBeenCalledOnce();
});

test("a transfer tells how far it is and can be given up", async () => {
  let refuse = (_: Error) => {};
  const done = new Promise<void>((_, no) => {
    refuse = no;
  });
  const stop = vi.fn(() => refuse(new Error("Given up. Nothing of it was kept.")));
  send.mockImplementationOnce((_job, _file, _bus, _rate, tell) => {
    tell(0.25);
    return { done, stop };
  });
  shown();
  await userEvent.upload(screen.getByLabelText("capture file"), file);
  expect(await screen.findByText("25 % taken in")).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Give up" }));
  expect(stop).toHaveBeenCalledOnce();
  expect((await screen.findByRole("alert")).textContent).toContain("Nothing of it was kept");
  expect(screen.getByRole("button", { name: "Add a capture" })).toBeTruthy();
});
