import axe from "axe-core";

/** What is wrong for who cannot see or point; contrast is looked at in the browser, where there is colour. */
export async function wrong(what: Element = document.body): Promise<string[]> {
  const found = await axe.run(what, {
    rules: { "color-contrast": { enabled: false }, region: { enabled: false } },
  });
  return found.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html).join(" ")}`);
}
