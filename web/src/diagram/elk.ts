import ELK from "elkjs/lib/elk-api";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";

/** Places drawings in a worker of its own. */
export const elk = new ELK({ workerUrl });
