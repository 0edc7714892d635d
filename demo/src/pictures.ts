import { KEEPERS, LIGHTS, type Light, NEWS, type TimeOfDay, TRUST } from './scenario.js';

/** A picture that is to be painted, with the metadata that its keeper wrote into it. */
export interface PictureJob {
  /** Below the folder of demo files: `lights/gannet-head/dusk.jpg`. */
  file: string;
  light: string;
  time: TimeOfDay;
  closeness: 'far' | 'near';
  width: number;
  height: number;
  seed: number;
  format: 'jpeg' | 'png' | 'webp';
  title: string;
  /** Null leaves it out, as people sometimes do. */
  alt: string | null;
  caption: string;
  keeper: string;
  keywords: string[];
  takenAt: string;
  /** Stores the pixels turned by a quarter, and says so in Exif, as a camera held upright does. */
  isTurned: boolean;
}

const SIZES = [
  [2400, 1600],
  [2100, 1400],
  [1800, 1200],
  [2700, 1800],
  [2240, 1400],
] as const;

const VIEWS: readonly { name: string; time: TimeOfDay; closeness: 'far' | 'near'; isUpright: boolean }[] = [
  { name: 'day', time: 'day', closeness: 'far', isUpright: false },
  { name: 'day-tower', time: 'day', closeness: 'near', isUpright: true },
  { name: 'dusk', time: 'dusk', closeness: 'far', isUpright: false },
  { name: 'dusk-tower', time: 'dusk', closeness: 'near', isUpright: false },
  { name: 'storm', time: 'storm', closeness: 'far', isUpright: false },
  { name: 'storm-tower', time: 'storm', closeness: 'near', isUpright: true },
  { name: 'night', time: 'night', closeness: 'near', isUpright: false },
];

const SKY: Record<TimeOfDay, string> = {
  day: 'in clear weather',
  dusk: 'at dusk',
  storm: 'in a storm',
  night: 'at night with its lamp lit',
};

/** Lists all pictures of the demo, always the same. */
export function listPictures(): PictureJob[] {
  return [
    ...LIGHTS.flatMap((light, index) => VIEWS.map((view, n) => lightPicture(light, view, index * 10 + n))),
    ...NEWS.map(newsPicture),
  ];
}

function lightPicture(light: Light, view: (typeof VIEWS)[number], n: number): PictureJob {
  const [long, short] = n === 23 ? [3000, 2000] : (SIZES[n % SIZES.length] as (typeof SIZES)[number]);
  const keeper = KEEPERS[n % KEEPERS.length] as string;
  return {
    file: `lights/${light.slug}/${light.slug}-${view.name}.${n % 13 === 7 ? 'webp' : 'jpg'}`,
    light: light.slug,
    time: view.time,
    closeness: view.closeness,
    width: view.isUpright ? short : long,
    height: view.isUpright ? long : short,
    seed: 1000 + n * 7,
    format: n % 13 === 7 ? 'webp' : 'jpeg',
    title: `${light.name} ${view.closeness === 'near' ? 'close by, ' : ''}${view.time}`,
    alt: n % 9 === 4 ? null : `${light.name} lighthouse ${SKY[view.time]}`,
    caption: light.about,
    keeper,
    keywords: ['lighthouse', light.name, view.time],
    takenAt: takenAt(n, view.time),
    isTurned: view.isUpright && n % 3 === 1,
  };
}

function newsPicture(entry: (typeof NEWS)[number], n: number): PictureJob {
  return {
    file: `news/${entry.slug}.${n === 3 ? 'png' : 'jpg'}`,
    light: entry.light,
    time: entry.time,
    closeness: 'near',
    width: n === 3 ? 1500 : 2100,
    height: n === 3 ? 1000 : 1200,
    seed: 9000 + n * 13,
    format: n === 3 ? 'png' : 'jpeg',
    title: entry.title,
    alt: `The lighthouse of the story “${entry.title}”`,
    caption: entry.text,
    keeper: KEEPERS[(n + 2) % KEEPERS.length] as string,
    keywords: ['news', entry.light],
    takenAt: takenAt(200 + n, entry.time),
    isTurned: false,
  };
}

/** A moment between May 2024 and October 2026, at an hour that fits the light. */
function takenAt(n: number, time: TimeOfDay): string {
  const hours = { day: 11, dusk: 20, storm: 15, night: 23 };
  const date = new Date(
    Date.UTC(2024, 4, 1 + ((n * 37) % 890), hours[time] + (n % 2), (n * 17) % 60, (n * 29) % 60),
  );
  return date.toISOString();
}

/** The XMP packet (ISO 16684-1) that a picture carries. */
export function toXmp(job: PictureJob): string {
  const alternative = (property: string, value: string) =>
    `<${property}><rdf:Alt><rdf:li xml:lang="x-default">${escapeXml(value)}</rdf:li></rdf:Alt></${property}>`;
  return `<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:Iptc4xmpCore="http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/">
${alternative('dc:title', job.title)}
${alternative('dc:description', job.caption)}
${job.alt === null ? '' : alternative('Iptc4xmpCore:AltTextAccessibility', job.alt)}
<dc:creator><rdf:Seq><rdf:li>${escapeXml(job.keeper)}</rdf:li></rdf:Seq></dc:creator>
${alternative('dc:rights', `© ${TRUST}`)}
<dc:subject><rdf:Bag>${job.keywords.map((word) => `<rdf:li>${escapeXml(word)}</rdf:li>`).join('')}</rdf:Bag></dc:subject>
</rdf:Description></rdf:RDF><?xpacket end="w"?>`;
}

function escapeXml(text: string): string {
  return text.replace(/[&<>"]/g, (character) => `&#${character.charCodeAt(0)};`);
}
