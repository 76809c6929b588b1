// The stage in a worker of its own, so that drawing never keeps the page from answering a hand.
import { Stage } from "./stage.js";

/** @type {Stage} */
let stage;

/** What the page asks for, one after the other: a name, its values, and the number of the answer. */
const deeds = {
  /** Whether there is WebGL here: asked on a canvas of its own, as the page's is given away for good. */
  probe: () => Boolean(new OffscreenCanvas(1, 1).getContext("webgl2")),
  open: (canvas) => void (stage = new Stage(canvas, (what, value) => postMessage({ what, value }))),
};

onmessage = async ({ data: { deed, values, answer } }) => {
  try {
    const value = await (deeds[deed] ?? stage[deed].bind(stage))(...values);
    postMessage({ answer, value });
  } catch (error) {
    postMessage({ answer, error: String(error) });
  }
};
