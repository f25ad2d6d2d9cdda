/**
 * Holds the WebSocket away from the page's own thread, so that drawing never holds up sound: blocks go straight to the
 * audio thread through a port, everything else to the page.
 */
import { parseFrame } from "./frames";
import type { FromWorker, ToWorker } from "./protocol";

const RETRY_MS = [250, 500, 1000, 2000, 4000];

let socket: WebSocket | null = null;
let speaker: MessagePort | null = null;
let url = "";
let attempts = 0;
let unsent: string[] = [];

const tell = (message: FromWorker) => self.postMessage(message);

function connect() {
  const opened = new WebSocket(url);
  socket = opened;
  opened.binaryType = "arraybuffer";
  opened.onopen = () => {
    attempts = 0;
    tell({ type: "connection", up: true });
    unsent.forEach((message) => opened.send(message));
    unsent = [];
  };
  opened.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
    if (typeof event.data === "string") {
      tell({ type: "text", text: event.data });
      return;
    }
    const frame = parseFrame(event.data);
    if (frame.sound && speaker) {
      const sound = frame.sound.slice();
      const other = frame.other?.slice() ?? null;
      const { epoch, firstSample } = frame;
      speaker.postMessage(
        { epoch, firstSample, sound, other },
        other ? [sound.buffer, other.buffer] : [sound.buffer],
      );
    }
    tell({ type: "frame", frame: { ...frame, sound: null, other: null } });
  };
  opened.onclose = () => {
    if (socket !== opened) return;
    tell({ type: "connection", up: false });
    const delay = RETRY_MS[Math.min(attempts, RETRY_MS.length - 1)];
    attempts += 1;
    setTimeout(connect, delay);
  };
}

self.onmessage = (event: MessageEvent<ToWorker>) => {
  const message = event.data;
  switch (message.type) {
    case "open":
      url = message.url;
      connect();
      break;
    case "speaker":
      speaker = message.port;
      speaker.onmessage = (heard: MessageEvent<{ epoch: number; samples: number; missed: number }>) => {
        if (socket?.readyState === WebSocket.OPEN) {
          socket.send(JSON.stringify({ type: "played", ...heard.data }));
        }
        const { epoch, samples } = heard.data;
        tell({ type: "played", epoch, samples });
      };
      break;
    case "send":
      if (socket?.readyState === WebSocket.OPEN) socket.send(message.text);
      else if (message.keep) unsent.push(message.text);
      break;
    case "close":
      url = "";
      {
        const closing = socket;
        socket = null;
        closing?.close();
      }
      break;
  }
};
