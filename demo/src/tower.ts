import type { Composition } from './landscape.js';
import type { Palette } from './palette.js';
import { seededRandom } from './random.js';
import type { TowerLook } from './scenario.js';

/** Draws the tower, its cottage, its beams and the weather in front of it, as an SVG over a landscape of the same size. */
export function drawTower(view: Composition, palette: Palette, look: TowerLook, seed: number): string {
  const { width: w, height: h } = view;
  const x = view.tower.x * w;
  const foot = view.tower.foot * h + h * 0.012;
  const tall = view.tower.height * h;
  const base = (tall * look.girth) / 2;
  const neck = base * 0.62;
  const top = foot - tall * 0.8;
  const lampY = top - tall * 0.085;
  const shade = palette.lamp > 0.6 ? 0.62 : 0.3;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${w}" height="${h}" viewBox="0 0 ${w} ${h}">
  <defs>
    <linearGradient id="round" x1="0" x2="1"><stop offset="0" stop-color="#000" stop-opacity="${shade * 0.75}"/><stop offset=".35" stop-color="#000" stop-opacity="${shade * 0.1}"/><stop offset="1" stop-color="#000" stop-opacity="${shade}"/></linearGradient>
    <radialGradient id="halo"><stop offset="0" stop-color="#fff3c8" stop-opacity="${0.95 * palette.lamp}"/><stop offset=".18" stop-color="#ffe2a0" stop-opacity="${0.5 * palette.lamp}"/><stop offset="1" stop-color="#ffd98a" stop-opacity="0"/></radialGradient>
    <linearGradient id="beamR" x1="0" x2="1"><stop offset="0" stop-color="#fff0c0" stop-opacity="${0.26 * palette.lamp}"/><stop offset="1" stop-color="#fff0c0" stop-opacity="0"/></linearGradient>
    <linearGradient id="beamL" x1="1" x2="0"><stop offset="0" stop-color="#fff0c0" stop-opacity="${0.26 * palette.lamp}"/><stop offset="1" stop-color="#fff0c0" stop-opacity="0"/></linearGradient>
    <radialGradient id="edge" cx=".5" cy=".48" r=".78"><stop offset=".55" stop-color="#000" stop-opacity="0"/><stop offset="1" stop-color="#000" stop-opacity=".34"/></radialGradient>
    <clipPath id="wall"><path d="${wall(x, foot, top, base, neck)}"/></clipPath>
  </defs>
  ${palette.lamp > 0 ? beams(x, lampY, w, h) : ''}
  ${look.hasCottage ? cottage(view, palette, look, { x, foot, base, tall }) : ''}
  <path d="${wall(x, foot, top, base, neck)}" fill="${look.wall}"/>
  <g clip-path="url(#wall)">${bands(look, { x, foot, top, base })}${windows(palette, { x, foot, top, base })}<rect x="${x - base}" y="${top}" width="${base * 2}" height="${foot - top}" fill="url(#round)"/></g>
  ${lantern(palette, look, { x, top, neck, tall })}
  <circle cx="${x}" cy="${lampY}" r="${tall * 0.85}" fill="url(#halo)"/>
  ${palette.waves === 1 ? rain(w, h, seed) : ''}
  ${palette.waves < 1 && palette.lamp < 0.9 ? gulls(view, palette, seed) : ''}
  <rect width="${w}" height="${h}" fill="url(#edge)"/>
</svg>`;
}

function wall(x: number, foot: number, top: number, base: number, neck: number): string {
  const bend = top + (foot - top) * 0.55;
  return `M${x - base} ${foot} Q${x - neck * 1.08} ${bend} ${x - neck} ${top} L${x + neck} ${top} Q${x + neck * 1.08} ${bend} ${x + base} ${foot} Z`;
}

function bands(
  look: TowerLook,
  { x, foot, top, base }: { x: number; foot: number; top: number; base: number },
): string {
  if (look.band === null) return '';
  const step = (foot - top) / (look.bands * 2 + 1);
  return Array.from(
    { length: look.bands },
    (_, i) =>
      `<rect x="${x - base}" y="${top + step * (i * 2 + 1)}" width="${base * 2}" height="${step}" fill="${look.band}"/>`,
  ).join('');
}

function windows(
  palette: Palette,
  { x, foot, top, base }: { x: number; foot: number; top: number; base: number },
): string {
  const glass = palette.lamp > 0.6 ? '#ffd98a' : '#33414a';
  const size = base * 0.2;
  const panes = [0.22, 0.5, 0.76].map(
    (at, i) =>
      `<rect x="${x + (i % 2 ? -1 : 0.2) * base * 0.28}" y="${top + (foot - top) * at}" width="${size}" height="${size * 1.7}" rx="${size * 0.4}" fill="${glass}"/>`,
  );
  const door = `<path d="M${x - size * 0.9} ${foot} v${-size * 2.4} a${size * 0.9} ${size * 0.9} 0 0 1 ${size * 1.8} 0 v${size * 2.4} Z" fill="#3b2f28"/>`;
  return panes.join('') + door;
}

function lantern(
  palette: Palette,
  look: TowerLook,
  { x, top, neck, tall }: { x: number; top: number; neck: number; tall: number },
): string {
  const room = neck * 0.66;
  const high = tall * 0.13;
  const glass = palette.lamp > 0 ? '#fff1bd' : '#a9c3cc';
  const rail = Array.from(
    { length: 9 },
    (_, i) =>
      `<line x1="${x - neck * 1.3 + (i * neck * 2.6) / 8}" x2="${x - neck * 1.3 + (i * neck * 2.6) / 8}" y1="${top - tall * 0.045}" y2="${top}"/>`,
  ).join('');
  const bars = [-0.5, 0, 0.5]
    .map((at) => `<line x1="${x + room * at}" x2="${x + room * at}" y1="${top - high}" y2="${top}"/>`)
    .join('');
  return `<rect x="${x - room}" y="${top - high}" width="${room * 2}" height="${high}" fill="${glass}"/>
  <ellipse cx="${x}" cy="${top - high * 0.5}" rx="${room * 0.36}" ry="${high * 0.36}" fill="${palette.lamp > 0 ? '#fffbe8' : '#dfe9ea'}"/>
  <g stroke="#2a2f31" stroke-width="${Math.max(1, tall * 0.005)}">${bars}${rail}<line x1="${x - neck * 1.3}" x2="${x + neck * 1.3}" y1="${top - tall * 0.045}" y2="${top - tall * 0.045}"/></g>
  <rect x="${x - neck * 1.36}" y="${top - tall * 0.004}" width="${neck * 2.72}" height="${tall * 0.022}" fill="#2f3436"/>
  <path d="M${x - room * 1.16} ${top - high} Q${x} ${top - high - tall * 0.1} ${x + room * 1.16} ${top - high} Z" fill="${look.roof}"/>
  <line x1="${x}" x2="${x}" y1="${top - high - tall * 0.045}" y2="${top - high - tall * 0.1}" stroke="#2a2f31" stroke-width="${Math.max(1, tall * 0.006)}"/>`;
}

/** Each beam is three wedges, one inside the other: a soft edge without a blur, which takes seconds at this size. */
function beams(x: number, y: number, w: number, h: number): string {
  const reach = w * 0.95;
  const wedge = (
    narrow: number,
  ) => `<path d="M${x} ${y - h * 0.004} L${x + reach} ${y - h * (0.07 + 0.09 * narrow)} L${x + reach} ${y - h * (0.07 - 0.09 * narrow)} L${x} ${y + h * 0.004} Z" fill="url(#beamR)"/>
  <path d="M${x} ${y - h * 0.004} L${x - reach} ${y + h * (0.03 - 0.08 * narrow)} L${x - reach} ${y + h * (0.03 + 0.08 * narrow)} L${x} ${y + h * 0.004} Z" fill="url(#beamL)"/>`;
  return [1, 0.86, 0.68].map(wedge).join('');
}

function cottage(
  view: Composition,
  palette: Palette,
  look: TowerLook,
  { x, foot, base, tall }: { x: number; foot: number; base: number; tall: number },
): string {
  const away = view.side === 'right' ? 1 : -1;
  const wide = tall * 0.34;
  const high = tall * 0.13;
  const left = away > 0 ? x + base * 0.8 : x - base * 0.8 - wide;
  const dim = palette.lamp > 0.6 ? 0.5 : 0.12;
  const glass = palette.lamp > 0.6 ? '#ffcf7a' : '#3c474d';
  const panes = [0.18, 0.45, 0.72]
    .map(
      (at) =>
        `<rect x="${left + wide * at}" y="${foot - high * 0.7}" width="${wide * 0.09}" height="${high * 0.34}" fill="${glass}"/>`,
    )
    .join('');
  return `<rect x="${left}" y="${foot - high}" width="${wide}" height="${high * 1.1}" fill="${look.wall}"/><rect x="${left}" y="${foot - high}" width="${wide}" height="${high * 1.1}" fill="#000" opacity="${dim}"/>${panes}
  <path d="M${left - wide * 0.04} ${foot - high} L${left + wide * 0.1} ${foot - high * 1.75} L${left + wide * 0.9} ${foot - high * 1.75} L${left + wide * 1.04} ${foot - high} Z" fill="${look.roof}"/>
  <rect x="${left + wide * 0.2}" y="${foot - high * 2.1}" width="${wide * 0.08}" height="${high * 0.5}" fill="#4a4340"/>`;
}

function rain(w: number, h: number, seed: number): string {
  const random = seededRandom(seed + 3);
  const drops = (count: number) =>
    Array.from({ length: count }, () => {
      const length = h * (0.02 + random() * 0.05);
      return `M${(random() * w * 1.2 - w * 0.1).toFixed(1)} ${(random() * h).toFixed(1)} l${(-length * 0.35).toFixed(1)} ${length.toFixed(1)}`;
    }).join('');
  const layers = [0.1, 0.17, 0.26].map((opacity) => `<path d="${drops(90)}" stroke-opacity="${opacity}"/>`);
  return `<g fill="none" stroke="#dfe6e4" stroke-width="${Math.max(1, h * 0.0011)}">${layers.join('')}</g>`;
}

function gulls(view: Composition, palette: Palette, seed: number): string {
  const random = seededRandom(seed + 7);
  const ink = palette.lamp > 0 ? '#241d2a' : '#38434a';
  return Array.from({ length: 3 + Math.floor(random() * 5) }, () => {
    const x = random() * view.width;
    const y = (0.1 + random() * 0.38) * view.height;
    const s = view.height * (0.006 + random() * 0.011);
    return `<path d="M${x - s} ${y - s * 0.25} q${s * 0.6} ${-s * 0.4} ${s} ${s * 0.3} q${s * 0.45} ${-s * 0.75} ${s} ${-s * 0.45}" fill="none" stroke="${ink}" stroke-width="${Math.max(1, s * 0.16)}" stroke-linecap="round"/>`;
  }).join('');
}
