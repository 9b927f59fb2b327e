/** The socket of a surface: connects, reconnects, hands on what arrives. */

import { decodeFrame, decodeHeights, type Frame, type HeightsPart } from "./frames";
import type { FromWindow, ToWindow } from "./types";

export type Connection = "connecting" | "ready" | "lost" | "gone";

const FIRST_WAIT = 400;
const LONGEST_WAIT = 5000;
const GONE = 4404;

export class Live {
  connection = $state<Connection>("connecting");

  #socket: WebSocket | null = null;
  #waiting: FromWindow[] = [];
  #wait = FIRST_WAIT;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #closed = false;

  constructor(
    private readonly surface: string,
    private readonly onMessage: (message: ToWindow) => void,
    private readonly onFrame: (frame: Frame | HeightsPart) => void,
    /** waited: acts that waited for the connection and were not sent. */
    private readonly onLost: (waited: number) => void,
  ) {
    this.#connect();
  }

  #connect(): void {
    const socket = new WebSocket(`ws://${location.host}/api/surfaces/${this.surface}/live`);
    socket.binaryType = "arraybuffer";
    this.#socket = socket;
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (this.#socket !== socket) return;
      if (typeof event.data !== "string") {
        this.onFrame(decodeHeights(event.data) ?? decodeFrame(event.data));
        return;
      }
      const message = JSON.parse(event.data) as ToWindow;
      if (message.type === "ready") {
        this.connection = "ready";
        this.#wait = FIRST_WAIT;
        for (const act of this.#waiting.splice(0)) this.send(act);
      }
      this.onMessage(message);
    };
    socket.onclose = (event) => {
      if (this.#closed || this.#socket !== socket) return;
      if (event.code === GONE) {
        this.connection = "gone";
        return;
      }
      if (this.connection === "ready" || this.#waiting.length) this.onLost(this.#waiting.splice(0).length);
      this.connection = "lost";
      this.#timer = setTimeout(() => this.#connect(), this.#wait);
      this.#wait = Math.min(LONGEST_WAIT, this.#wait * 1.7);
    };
  }

  /** Send, when the connection is ready; false when it is not and nothing was sent. */
  send(message: FromWindow): boolean {
    if (this.connection !== "ready" || this.#socket?.readyState !== WebSocket.OPEN) return false;
    this.#socket.send(JSON.stringify(message));
    return true;
  }

  /** Send now, or as soon as the connection that is being made is there; false when none is. */
  post(message: FromWindow): boolean {
    if (this.connection !== "connecting" || this.#socket === null) return this.send(message);
    this.#waiting.push(message);
    return true;
  }

  /** How many acts wait to be sent. */
  get waiting(): number {
    return this.#waiting.length;
  }

  /** Say nothing and hear nothing until resumed. */
  pause(): void {
    const socket = this.#socket;
    this.#socket = null;
    this.connection = "connecting";
    socket?.close();
  }

  resume(): void {
    if (!this.#closed && this.#socket === null) this.#connect();
  }

  /** Try again now instead of waiting. */
  retry(): void {
    if (this.connection !== "lost") return;
    clearTimeout(this.#timer);
    this.#connect();
  }

  close(): void {
    this.#closed = true;
    clearTimeout(this.#timer);
    this.#socket?.close();
  }
}
