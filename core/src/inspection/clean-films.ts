import { ByteReader, type ByteSource } from './bytes.js';
import type { CleanOptions } from './clean-options.js';
import { Patches, type Piece } from './edits.js';
import { type Box, boxesOf, freeBox } from './iso-boxes.js';

/** The boxes needed to play a film. Source: ISO/IEC 14496-12, table 1; QuickTime File Format for `wide` and `clip`. */
const FILE_BOXES = new Set('ftyp styp moov moof mdat sidx ssix mfra pdin wide'.split(' '));
const MOVIE_BOXES = new Set('mvhd trak mvex iods udta meta'.split(' '));
const TRACK_BOXES = new Set('tkhd mdia edts tref tapt clip matt load trgr udta meta'.split(' '));
/** Texts of a film with rights information. Source: ISO/IEC 14496-12, 8.10; 3GPP TS 26.244; QuickTime user data. */
const OF_RIGHTS = new Set(['cprt', '\xa9cpy', '\xa9ART', '\xa9aut', 'aART', 'perf', 'auth', '\xa9prd']);
const RIGHTS_KEY = /\.(?:copyright|artist|author|producer|publisher)$/;
/** Tracks with data about the film, such as the position of the camera. */
const DATA_TRACKS = new Set(['meta', 'mdta', 'camm']);
const MAX_SAMPLES = 2_000_000;
const MAX_KEYS = 10_000;

/** Cleans an MP4 or QuickTime film in place. @throws Error when it is corrupt */
export function cleanIsoMedia(source: ByteSource, options: CleanOptions): Piece[] {
  const reader = new ByteReader(source);
  const patches = new Patches();
  for (const box of boxesOf(reader, 0, source.length)) {
    if (box.type === 'moov') cleanFilm(reader, patches, box, options);
    else if (!FILE_BOXES.has(box.type)) freeBox(patches, box);
  }
  return patches.toPieces(source.length);
}

/** Removes metadata of the film and of its tracks. */
export function cleanFilm(reader: ByteReader, patches: Patches, movie: Box, { keep }: CleanOptions): void {
  const cleaner = new FilmCleaner(reader, patches, keep === 'rights');
  for (const box of boxesOf(reader, movie.dataAt, movie.end)) {
    if (box.type === 'trak') cleaner.cleanTrack(box);
    else if (box.type === 'mvhd' && keep === 'none') cleaner.clearTimes(box);
    else cleaner.cleanChild(box, MOVIE_BOXES);
  }
}

class FilmCleaner {
  readonly #reader: ByteReader;
  readonly #patches: Patches;
  readonly #keepsRights: boolean;

  constructor(reader: ByteReader, patches: Patches, keepsRights: boolean) {
    this.#reader = reader;
    this.#patches = patches;
    this.#keepsRights = keepsRights;
  }

  cleanChild(box: Box, known: ReadonlySet<string>): void {
    if (box.type === 'udta' && this.#keepsRights) this.#cleanUserData(box);
    else if (box.type === 'meta' && this.#keepsRights) this.#cleanMeta(box);
    else if (box.type === 'udta' || box.type === 'meta' || !known.has(box.type)) freeBox(this.#patches, box);
  }

  cleanTrack(track: Box): void {
    const boxes = [...boxesOf(this.#reader, track.dataAt, track.end)];
    const media = boxes.find(({ type }) => type === 'mdia');
    if (media && DATA_TRACKS.has(this.#handlerOf(media))) {
      for (const { from, to } of this.#samplesOf(media)) this.#patches.clear(from, to);
      freeBox(this.#patches, track);
      return;
    }
    for (const box of boxes) {
      if (!this.#keepsRights && box.type === 'tkhd') this.clearTimes(box);
      else if (!this.#keepsRights && box.type === 'mdia') this.#clearMediaTimes(box);
      else this.cleanChild(box, TRACK_BOXES);
    }
  }

  /** Creation and modification times. Source: ISO/IEC 14496-12, 8.2.2, 8.3.2, 8.4.2: the same position in all three. */
  clearTimes({ dataAt, end }: Box): void {
    const bytes = this.#reader.u8(dataAt) === 1 ? 16 : 8;
    this.#patches.clear(dataAt + 4, Math.min(end, dataAt + 4 + bytes));
  }

  #clearMediaTimes(media: Box): void {
    for (const box of boxesOf(this.#reader, media.dataAt, media.end))
      if (box.type === 'mdhd') this.clearTimes(box);
  }

  /** User data may end with four zero bytes, which are not a box. */
  #cleanUserData(data: Box): void {
    for (const box of boxesOf(this.#reader, data.dataAt, data.end)) {
      if (box.type === 'meta') this.#cleanMeta(box);
      else if (!OF_RIGHTS.has(box.type)) freeBox(this.#patches, box);
    }
  }

  /** In QuickTime it is a plain box, in ISO files it has a version. */
  #cleanMeta(meta: Box): void {
    const isPlain = meta.dataAt + 8 <= meta.end && this.#reader.code(meta.dataAt + 4) === 'hdlr';
    const boxes = [...boxesOf(this.#reader, meta.dataAt + (isPlain ? 0 : 4), meta.end)];
    const keys = boxes.find(({ type }) => type === 'keys');
    const keptKeys = keys ? this.#cleanKeys(keys) : new Set<number>();
    for (const box of boxes) {
      if (box.type === 'ilst')
        for (const item of boxesOf(this.#reader, box.dataAt, box.end)) {
          const stays = keys ? keptKeys.has(this.#reader.u32(item.at + 4)) : OF_RIGHTS.has(item.type);
          if (!stays) freeBox(this.#patches, item);
        }
      else if (box.type !== 'hdlr' && box.type !== 'keys') freeBox(this.#patches, box);
    }
  }

  /** @returns the indexes of keys with rights information. Source: QuickTime File Format, metadata item keys atom */
  #cleanKeys({ dataAt, end }: Box): Set<number> {
    const kept = new Set<number>();
    let index = 0;
    for (const key of boxesOf(this.#reader, dataAt + 8, end)) {
      index += 1;
      if (index > MAX_KEYS) throw new Error('it has too many keys');
      const name = this.#reader.code(key.dataAt, Math.min(key.end - key.dataAt, 500));
      if (RIGHTS_KEY.test(name)) kept.add(index);
    }
    return kept;
  }

  #handlerOf(media: Box): string {
    for (const { type, dataAt, end } of boxesOf(this.#reader, media.dataAt, media.end))
      if (type === 'hdlr' && dataAt + 12 <= end) return this.#reader.code(dataAt + 8);
    return '';
  }

  /** The location of a track's samples. Source: ISO/IEC 14496-12, 8.7. */
  #samplesOf(media: Box): { from: number; to: number }[] {
    const table = this.#find(this.#find(media, 'minf'), 'stbl');
    const sizes = this.#find(table, 'stsz');
    const chunks = this.#find(table, 'stsc');
    const offsets = this.#find(table, 'stco') ?? this.#find(table, 'co64');
    if (!sizes || !chunks || !offsets) return [];
    const reader = this.#reader;
    const common = reader.u32(sizes.dataAt + 4);
    const samples = reader.u32(sizes.dataAt + 8);
    const chunkCount = reader.u32(offsets.dataAt + 4);
    const runs = reader.u32(chunks.dataAt + 4);
    if (Math.max(samples, chunkCount, runs) > MAX_SAMPLES) throw new Error('it has too many samples');
    const offsetBytes = offsets.type === 'co64' ? 8 : 4;
    const ranges: { from: number; to: number }[] = [];
    let sample = 0;
    let run = 0;
    for (let chunk = 1; chunk <= chunkCount && sample < samples; chunk += 1) {
      const runAt = (n: number) => chunks.dataAt + 8 + n * 12;
      while (run + 1 < runs && reader.u32(runAt(run + 1)) <= chunk) run += 1;
      const perChunk = reader.u32(runAt(run) + 4);
      const from = reader.uint(offsets.dataAt + 8 + (chunk - 1) * offsetBytes, offsetBytes);
      let to = from;
      for (let n = 0; n < perChunk && sample < samples; n += 1, sample += 1)
        to += common || reader.u32(sizes.dataAt + 12 + sample * 4);
      const last = ranges.at(-1);
      if (last && last.to === from) last.to = Math.min(to, reader.length);
      else ranges.push({ from, to: Math.min(to, reader.length) });
    }
    return ranges;
  }

  #find(parent: Box | null, type: string): Box | null {
    if (!parent) return null;
    for (const box of boxesOf(this.#reader, parent.dataAt, parent.end)) if (box.type === type) return box;
    return null;
  }
}
