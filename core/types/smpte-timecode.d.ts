declare module 'smpte-timecode' {
  export default class SmpteTimecode {
    constructor(frame: number, rate: number, dropFrame: boolean);
    readonly hours: number;
    readonly minutes: number;
    readonly seconds: number;
    readonly frames: number;
    add(frames: number): this;
    toString(): string;
  }
}
