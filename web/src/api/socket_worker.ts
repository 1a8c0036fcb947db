/** The paint socket, on a thread of its own: megabytes of pixels are read here while the page's thread brings up those before. */

/** The address first; then what is to be sent, and null to end it. */
export type ToSocket = string | ArrayBuffer | null;
/** Frames as they come; up: whether the connection stands. Without a code the worker itself could not be had. */
export type FromSocket = string | ArrayBuffer | { up: true } | { up: false; code?: number };

let socket: WebSocket | null = null;

const tell = (message: FromSocket, transfer: Transferable[] = []): void => postMessage(message, { transfer });

function connect(address: string): WebSocket {
  const made = new WebSocket(address);
  made.binaryType = "arraybuffer";
  made.onopen = () => tell({ up: true });
  made.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => tell(data, typeof data === "string" ? [] : [data]);
  made.onclose = ({ code }) => {
    tell({ up: false, code });
    // A connection that is gone needs no thread; the next one has its own.
    close();
  };
  return made;
}

onmessage = ({ data }: MessageEvent<ToSocket>) => {
  if (data === null) socket?.close();
  else if (socket) socket.send(data);
  else socket = connect(data as string);
};
