import { type Selection, select } from "d3-selection";
import { type ZoomTransform, zoom, zoomIdentity } from "d3-zoom";
import { useEffect, useRef, useState } from "react";

/** How far a drawing can be made smaller and larger. */
const SCALES: [number, number] = [0.15, 5];
/** How far an arrow key moves it, pixels. */
const STEP = 60;

type Drawn = Selection<SVGSVGElement, unknown, null, undefined>;

/**
 * A drawing moved and made larger with wheel, fingers, mouse and keys. It begins at `start` and stays with
 * that until somebody moves it; `anew` names what is drawn, and another begins afresh.
 */
export function useZoom(start: ZoomTransform, whole: ZoomTransform, anew: string) {
  const [box, setBox] = useState<SVGSVGElement | null>(null);
  const [seen, setSeen] = useState<ZoomTransform>(zoomIdentity);
  const [zoomer] = useState(() => zoom<SVGSVGElement, unknown>().scaleExtent(SCALES));
  const moved = useRef("");
  useEffect(() => {
    if (!box) return;
    zoomer.on("zoom", (e) => {
      if (e.sourceEvent) moved.current = anew;
      setSeen(e.transform);
    });
    const svg: Drawn = select(box);
    svg.call(zoomer).on("dblclick.zoom", null);
    return () => {
      svg.on(".zoom", null);
    };
  }, [box, zoomer, anew]);
  const { x, y, k } = start;
  useEffect(() => {
    if (box && moved.current !== anew)
      select(box).call(zoomer.transform, zoomIdentity.translate(x, y).scale(k));
  }, [box, zoomer, anew, x, y, k]);
  const change = (how: (svg: Drawn) => void) => {
    if (!box) return;
    moved.current = anew;
    how(select(box));
  };
  const by = (factor: number) => change((svg) => svg.call(zoomer.scaleBy, factor));
  const step = (dx: number, dy: number) =>
    change((svg) => svg.call(zoomer.translateBy, dx / seen.k, dy / seen.k));
  const larger = () => by(1.25);
  const smaller = () => by(0.8);
  const all = () => change((svg) => svg.call(zoomer.transform, whole));
  const keys: Record<string, () => void> = {
    "+": larger,
    "-": smaller,
    "0": all,
    ArrowLeft: () => step(STEP, 0),
    ArrowRight: () => step(-STEP, 0),
    ArrowUp: () => step(0, STEP),
    ArrowDown: () => step(0, -STEP),
  };
  return { setBox, seen, larger, smaller, all, keys };
}
