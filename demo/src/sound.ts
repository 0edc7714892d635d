import { seededRandom } from './random.js';

const RATE = 22_050;

/** A sound as 16-bit mono WAV (RIFF, PCM). `wave` gives −1…1 for a time in seconds. */
export function makeWav(seconds: number, wave: (second: number) => number): Buffer {
  const samples = Math.round(seconds * RATE);
  const file = Buffer.alloc(44 + samples * 2);
  file.write('RIFF', 0, 'latin1');
  file.writeUInt32LE(36 + samples * 2, 4);
  file.write('WAVEfmt ', 8, 'latin1');
  file.writeUInt32LE(16, 16);
  file.writeUInt16LE(1, 20);
  file.writeUInt16LE(1, 22);
  file.writeUInt32LE(RATE, 24);
  file.writeUInt32LE(RATE * 2, 28);
  file.writeUInt16LE(2, 32);
  file.writeUInt16LE(16, 34);
  file.write('data', 36, 'latin1');
  file.writeUInt32LE(samples * 2, 40);
  for (let i = 0; i < samples; i += 1)
    file.writeInt16LE(Math.round(Math.max(-1, Math.min(1, wave(i / RATE))) * 32_000), 44 + i * 2);
  return file;
}

/** A fog horn: two low notes with a grunt at the end, every eight seconds. */
export function fogSignal(second: number): number {
  const t = second % 8;
  const horn = (start: number, length: number, hertz: number) => {
    if (t < start || t > start + length) return 0;
    const envelope = Math.min(1, (t - start) * 6, (start + length - t) * 4);
    return (
      envelope *
      (Math.sin(2 * Math.PI * hertz * t) * 0.5 +
        Math.sin(2 * Math.PI * hertz * 2.01 * t) * 0.22 +
        Math.sin(2 * Math.PI * hertz * 3.02 * t) * 0.1)
    );
  };
  return horn(0, 2.6, 118) + horn(2.6, 0.5, 82);
}

/** Surf: noise that swells and sinks. */
export function surf(): (second: number) => number {
  const random = seededRandom(77);
  let smooth = 0;
  return (second) => {
    smooth += (random() * 2 - 1 - smooth) * 0.18;
    return smooth * (0.35 + 0.6 * Math.sin(second * 0.7) ** 2);
  };
}

/** The clockwork that turned the lens: a tick each half second. */
export function clockwork(second: number): number {
  const t = second % 0.5;
  return Math.exp(-t * 70) * Math.sin(2 * Math.PI * (second % 1 < 0.5 ? 1900 : 1500) * t) * 0.7;
}
