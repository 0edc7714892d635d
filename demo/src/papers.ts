import { gzipSync } from 'node:zlib';
import PDFDocument from 'pdfkit';
import { LIGHTS, type Light, TRUST } from './scenario.js';

const INK = '#23292c';
const OXIDE = '#8a3a25';
const A4 = 'A4';

/** A page about one light, as PDF. */
export function lightSheet(light: Light): Promise<Buffer> {
  return makePdf(`${light.name}: data sheet`, (page) => {
    heading(page, light.name, 'Data sheet');
    page.fontSize(11).text(light.about, { width: 440 }).moveDown();
    const rows: [string, string][] = [
      ['Built', String(light.built)],
      ['Height of the tower', `${light.heightMetres} m`],
      ['Character', light.character],
      ['Position', `${light.position.latitude.toFixed(3)}° N, ${(-light.position.longitude).toFixed(3)}° W`],
    ];
    for (const [label, value] of rows)
      page.fillColor(OXIDE).text(label, { continued: true }).fillColor(INK).text(`   ${value}`);
  });
}

/** The keeper's handbook: several pages of rules that nobody keeps any more. */
export function handbook(): Promise<Buffer> {
  return makePdf("The keeper's handbook", (page) => {
    heading(page, "The keeper's handbook", TRUST);
    const chapters = [
      'Of the lamp',
      'Of the lens and its clockwork',
      'Of the fog signal',
      'Of the book',
      'Of visitors',
      'Of going home',
    ];
    for (const [index, chapter] of chapters.entries()) {
      if (index > 0) page.addPage();
      page
        .fillColor(OXIDE)
        .fontSize(16)
        .text(`${index + 1}. ${chapter}`)
        .moveDown(0.5);
      page.fillColor(INK).fontSize(11);
      for (let n = 1; n <= 7; n += 1)
        page
          .text(
            `${index + 1}.${n}  The keeper on watch sees to it before sunset, writes down the hour, and does not leave it to the other.`,
            { width: 440 },
          )
          .moveDown(0.4);
    }
  });
}

/** A month of high waters, from a made-up sum of tides. */
export function tideTable(year: number, month: number): Promise<Buffer> {
  const title = `High water, Gannet Head, ${year}-${String(month).padStart(2, '0')}`;
  return makePdf(title, (page) => {
    heading(page, 'Tide table', title);
    page.fontSize(10);
    for (const { day, time, metres } of tides(year, month))
      page.text(`${String(day).padStart(2, ' ')}    ${time}    ${metres.toFixed(2)} m`);
  });
}

/** The same month as CSV (RFC 4180). */
export function tideCsv(year: number, month: number): Buffer {
  const lines = tides(year, month).map(
    ({ day, time, metres }) =>
      `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')},${time},${metres.toFixed(2)}`,
  );
  return Buffer.from(['date,high water,metres', ...lines, ''].join('\r\n'));
}

/** The positions of all lights as CSV. */
export function positionsCsv(): Buffer {
  const lines = LIGHTS.map(({ name, position, heightMetres, character }) =>
    [name, position.latitude.toFixed(3), position.longitude.toFixed(3), heightMetres, `"${character}"`].join(
      ',',
    ),
  );
  return Buffer.from(['light,latitude,longitude,height in metres,character', ...lines, ''].join('\r\n'));
}

/** A year of the log book, packed. */
export function packedLog(year: number): Buffer {
  const lines = Array.from(
    { length: 365 },
    (_, day) =>
      `${year} day ${day + 1}: lamp lit, lens wound, wind ${['north', 'west', 'south-west', 'none'][(day * 7) % 4]}.`,
  );
  return gzipSync(`${lines.join('\n')}\n`, { level: 9 });
}

/** A plan of a tower, in section, as SVG. */
export function towerPlan(light: Light): Buffer {
  const floors = Math.max(3, Math.round(light.heightMetres / 5));
  const scale = 640 / light.heightMetres;
  const foot = 760;
  const top = foot - light.heightMetres * scale * 0.86;
  const wide = Math.min(150, (640 * light.look.girth) / 1.6);
  const level = (n: number) => foot - ((foot - top) * n) / floors;
  const rooms = Array.from(
    { length: floors },
    (_, n) =>
      `<line x1="${400 - wide * (1 - (0.36 * n) / floors)}" x2="${400 + wide * (1 - (0.36 * n) / floors)}" y1="${level(n)}" y2="${level(n)}"/></g><g font-family="serif" font-size="15" fill="#274656"><text x="575" y="${level(n) - 8}">${['store', 'oil', 'kitchen', 'keeper', 'second keeper', 'watch room', 'service room', 'clockwork', 'spare lens', 'gallery'][n % 10]}</text></g><g fill="none" stroke="#274656" stroke-width="2">`,
  ).join('');
  return Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 800 840" width="800" height="840">
<rect width="800" height="840" fill="#f6f1e6"/>
<g fill="none" stroke="#274656" stroke-width="2"><path d="M${400 - wide} ${foot} L${400 - wide * 0.62} ${top} H${400 + wide * 0.62} L${400 + wide} ${foot} Z" fill="#e9e1cf"/>${rooms}
<rect x="${400 - wide * 0.42}" y="${top - 60}" width="${wide * 0.84}" height="60"/><path d="M${400 - wide * 0.5} ${top - 60} Q400 ${top - 110} ${400 + wide * 0.5} ${top - 60} Z" fill="#a63d2a"/><line x1="80" x2="720" y1="${foot}" y2="${foot}"/></g>
<g font-family="serif" font-size="15" fill="#274656">${`<text x="60" y="60" font-size="26">${light.name}</text><text x="60" y="86">Section, ${light.built}. Height ${light.heightMetres} m.</text>`}</g>
</svg>`);
}

function tides(year: number, month: number): { day: number; time: string; metres: number }[] {
  const days = new Date(Date.UTC(year, month, 0)).getUTCDate();
  return Array.from({ length: days }, (_, index) => {
    const minutes = Math.round((index * 50.4 + 190 + month * 61) % 720);
    return {
      day: index + 1,
      time: `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`,
      metres: 3.1 + Math.cos((index / 14.77) * 2 * Math.PI) * 0.9,
    };
  });
}

function heading(page: PDFKit.PDFDocument, title: string, subtitle: string): void {
  page.fillColor(OXIDE).fontSize(24).text(title);
  page.fillColor(INK).fontSize(12).text(subtitle).moveDown(1.5);
}

function makePdf(title: string, write: (page: PDFKit.PDFDocument) => void): Promise<Buffer> {
  // A fixed date, so that the same paper always has the same bytes.
  const document = new PDFDocument({
    size: A4,
    margin: 72,
    info: { Title: title, Author: TRUST, CreationDate: new Date(Date.UTC(2026, 0, 5)) },
  });
  const parts: Buffer[] = [];
  return new Promise((resolve, reject) => {
    document.on('data', (part: Buffer) => parts.push(part));
    document.on('end', () => resolve(Buffer.concat(parts)));
    document.on('error', reject);
    write(document);
    document.end();
  });
}
