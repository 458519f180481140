import { cleanup } from "@testing-library/react";
import { afterEach } from "vitest";

afterEach(cleanup);

// What the primitives ask of a browser and jsdom does not have.
class Watch {
  observe() {}
  unobserve() {}
  disconnect() {}
}
window.ResizeObserver = Watch;
Element.prototype.scrollIntoView = () => {};
Element.prototype.hasPointerCapture = () => false;
Element.prototype.setPointerCapture = () => {};
Element.prototype.releasePointerCapture = () => {};
