import type { Outgoing } from "./outgoing";
import type { ServerMessage } from "./schema.generated";
import { type Batch, readBatch, writeSamples } from "./wire";

export interface SocketEvents {
  message(message: ServerMessage): void;
  batch(batch: Batch, bytes: number): void;
  /** False when the connection is lost; true once it stands again. */
  connected(up: boolean): void;
}

/** What this page calls itself: work that it asked for can be cancelled by it alone. */
export const CLIENT = Array.from(crypto.getRandomValues(new Uint8Array(8)), (byte) => byte.toString(16).padStart(2, "0")).join("");

const FIRST_WAIT = 200;
const LONGEST_WAIT = 3000;

/** One connection to a project that comes back by itself; after each welcome the server sends everything anew. */
export class PaintSocket {
  private socket: WebSocket | null = null;
  private wait = FIRST_WAIT;
  private timer = 0;
  private closed = false;

  constructor(
    private readonly project: string,
    private readonly events: SocketEvents,
  ) {
    this.open();
  }

  send(message: Outgoing): boolean {
    if (this.socket?.readyState !== WebSocket.OPEN) return false;
    this.socket.send(JSON.stringify(message));
    return true;
  }

  sendSamples(stroke: number, samples: number[], stamp: number): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(writeSamples(stroke, samples, stamp));
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.timer);
    this.socket?.close();
  }

  private open(): void {
    const scheme = location.protocol === "https:" ? "wss:" : "ws:";
    const path = `/api/projects/${this.project}/paint?client=${CLIENT}`;
    const socket = new WebSocket(`${scheme}//${location.host}${path}`);
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      this.wait = FIRST_WAIT;
      this.events.connected(true);
    };
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (typeof event.data === "string") this.events.message(JSON.parse(event.data) as ServerMessage);
      else this.events.batch(readBatch(event.data), event.data.byteLength);
    };
    socket.onclose = (event) => {
      if (this.closed || event.code === 4404) return;
      this.events.connected(false);
      this.timer = window.setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    };
    this.socket = socket;
  }
}
