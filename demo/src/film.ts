import sharp from 'sharp';
import { ArrayBufferTarget, Muxer } from 'webm-muxer';

const WIDTH = 640;
const HEIGHT = 360;
const FPS = 12;

/**
 * A short film of a turning lamp as WebM. A lossy WebP holds one VP8 key frame (RFC 9649 §2.5), so the frames are encoded
 * as pictures and their VP8 data is put into the film as it is.
 */
export async function makeLampFilm(seconds: number): Promise<Buffer> {
  const target = new ArrayBufferTarget();
  const muxer = new Muxer({
    target,
    video: { codec: 'V_VP8', width: WIDTH, height: HEIGHT, frameRate: FPS },
  });
  const frames = Math.round(seconds * FPS);
  for (let i = 0; i < frames; i += 1) {
    const picture = await sharp(Buffer.from(drawFrame(i / frames)))
      .flatten({ background: '#0a1226' })
      .webp({ quality: 70 })
      .toBuffer();
    muxer.addVideoChunkRaw(vp8Data(picture), 'key', Math.round((i * 1_000_000) / FPS), {
      decoderConfig: { codec: 'vp8' },
    });
  }
  muxer.finalize();
  return Buffer.from(target.buffer);
}

/** The payload of the `VP8 ` chunk of a simple WebP file. */
function vp8Data(webp: Buffer): Uint8Array {
  const at = webp.indexOf('VP8 ', 12, 'latin1');
  if (at < 0) throw new Error('Expected a lossy WebP, got one without a VP8 chunk');
  return webp.subarray(at + 8, at + 8 + webp.readUInt32LE(at + 4));
}

function drawFrame(turn: number): string {
  const angle = turn * 2 * Math.PI * 2;
  const reach = Math.cos(angle);
  const beam = (sign: number) =>
    `<path d="M320 150 L${320 + sign * reach * 520} ${150 - 40 * Math.abs(reach)} L${320 + sign * reach * 520} ${150 + 40 * Math.abs(reach)} Z" fill="#fff0c0" opacity="${0.16 + 0.3 * Math.abs(reach)}"/>`;
  const flash = Math.max(0, Math.sin(angle)) ** 8;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}"><defs><linearGradient id="s" x1="0" x2="0" y1="0" y2="1"><stop offset="0" stop-color="#0a1226"/><stop offset="1" stop-color="#35506f"/></linearGradient><radialGradient id="g"><stop offset="0" stop-color="#fff6d8"/><stop offset="1" stop-color="#fff6d8" stop-opacity="0"/></radialGradient></defs>
<rect width="640" height="250" fill="url(#s)"/><rect y="250" width="640" height="110" fill="#0c1a2c"/>${beam(1)}${beam(-1)}
<path d="M300 262 L308 168 L332 168 L340 262 Z" fill="#e9e3d6"/><path d="M303 225 L337 225 L335 200 L305 200 Z" fill="#9c3b2a"/><rect x="311" y="140" width="18" height="26" fill="#fff1bd"/><path d="M308 140 Q320 122 332 140 Z" fill="#7c2c1f"/>
<circle cx="320" cy="152" r="${30 + flash * 170}" fill="url(#g)" opacity="${0.5 + flash * 0.5}"/><path d="M180 300 Q240 250 320 258 Q400 250 470 300 Z" fill="#141a22"/></svg>`;
}
