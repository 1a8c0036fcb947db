import type { Outgoing } from "./outgoing";
import type { ServerMessage } from "./schema.generated";
import { randomName } from "./random_name";
import type { FromSocket, ToSocket } from "./socket_worker";
import { type Batch, readBatch, writeSamples } from "./wire";

export interface SocketEvents {
  message(message: ServerMessage): void;
  batch(batch: Batch, bytes: number): void;
  /** False when the connection is lost; true once it stands again. */
  connected(up: boolean): void;
}

/** What this page calls itself: work that it asked for can be cancelled by it alone. */
export const CLIENT = randomName();

const FIRST_WAIT = 200;
const LONGEST_WAIT = 3000;
/** Of a project that is not there: connecting again is of no use. */
const GONE = 4404;

/** One connection to a project that comes back by itself; after each welcome the server sends everything anew. */
export class PaintSocket {
  private worker: Worker | null = null;
  private up = false;
  private wait = FIRST_WAIT;
  private timer = 0;
  private closed = false;

  constructor(
    private readonly project: string,
    private readonly events: SocketEvents,
  ) {}

  /** Have everything sent: at first, and again to a stage that has lost it. */
  connect(): void {
    this.up = false;
    this.worker?.terminate();
    clearTimeout(this.timer);
    this.open();
  }

  send(message: Outgoing): boolean {
    if (this.up) this.tell(JSON.stringify(message));
    return this.up;
  }

  sendSamples(stroke: number, samples: number[], stamp: number): void {
    if (this.up) this.tell(writeSamples(stroke, samples, stamp));
  }

  close(): void {
    this.closed = true;
    this.up = false;
    clearTimeout(this.timer);
    this.tell(null);
  }

  private tell(message: ToSocket): void {
    this.worker?.postMessage(message, message instanceof ArrayBuffer ? [message] : []);
  }

  private open(): void {
    const scheme = location.protocol === "https:" ? "wss:" : "ws:";
    this.worker = new Worker(new URL("./socket_worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = ({ data }: MessageEvent<FromSocket>) => this.take(data);
    this.worker.onerror = () => this.take({ up: false });
    this.tell(`${scheme}//${location.host}/api/projects/${this.project}/paint?client=${CLIENT}`);
  }

  private take(data: FromSocket): void {
    if (this.closed) return;
    if (typeof data === "string") this.events.message(JSON.parse(data) as ServerMessage);
    else if (data instanceof ArrayBuffer) this.events.batch(readBatch(data), data.byteLength);
    else if (data.up) this.stands();
    else this.lost(data.code);
  }

  private stands(): void {
    this.up = true;
    this.wait = FIRST_WAIT;
    this.events.connected(true);
  }

  private lost(code?: number): void {
    this.up = false;
    this.worker?.terminate();
    if (code === GONE) return;
    this.events.connected(false);
    this.timer = window.setTimeout(() => this.open(), this.wait);
    this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
  }
}
