/** One of the eleven retired lighthouses of the Skerry Light Trust, all invented. */
export interface Light {
  slug: string;
  name: string;
  built: number;
  heightMetres: number;
  /** The invented position at sea. */
  position: { latitude: number; longitude: number };
  /** What it shows at night. */
  character: string;
  about: string;
  look: TowerLook;
}

/** How a tower is painted. */
export interface TowerLook {
  wall: string;
  band: string | null;
  bands: number;
  roof: string;
  /** Width of the tower at its foot, as a fraction of its height. */
  girth: number;
  /** From which side the headland comes. */
  side: 'left' | 'right' | 'islet';
  hasCottage: boolean;
}

export const TIMES = ['day', 'dusk', 'storm', 'night'] as const;
export type TimeOfDay = (typeof TIMES)[number];

const look = (
  wall: string,
  band: string | null,
  bands: number,
  roof: string,
  girth: number,
  side: TowerLook['side'],
  hasCottage: boolean,
): TowerLook => ({ wall, band, bands, roof, girth, side, hasCottage });

const light = (
  slug: string,
  name: string,
  built: number,
  heightMetres: number,
  offset: [number, number],
  character: string,
  about: string,
  towerLook: TowerLook,
): Light => ({
  slug,
  name,
  built,
  heightMetres,
  position: { latitude: 61 + offset[0], longitude: -17 + offset[1] },
  character,
  about,
  look: towerLook,
});

export const LIGHTS: readonly Light[] = [
  light(
    'gannet-head',
    'Gannet Head',
    1846,
    31,
    [0.12, 0.4],
    'one flash every ten seconds',
    'The oldest of the eleven stands where the cliffs are highest and the birds loudest.',
    look('#f4efe4', '#a63d2a', 2, '#7c2c1f', 0.2, 'left', true),
  ),
  light(
    'little-farrow',
    'Little Farrow',
    1871,
    14,
    [0.2, 0.52],
    'a steady white light',
    'A short tower on a green hump of an island, with the only apple tree in the Farrow Isles.',
    look('#f7f3ea', null, 0, '#2f4a57', 0.34, 'islet', true),
  ),
  light(
    'stack-of-orran',
    'Stack of Orran',
    1889,
    42,
    [0.31, 0.13],
    'two flashes every fifteen seconds',
    'Built on a sea stack, stone by numbered stone, in eleven summers.',
    look('#b9b2a4', null, 0, '#3a3f42', 0.17, 'islet', false),
  ),
  light(
    'sallow-point',
    'Sallow Point',
    1858,
    22,
    [0.05, 0.61],
    'three flashes every twenty seconds',
    'Low dunes, willows behind them, and a tower that leans a hand’s breadth to the east.',
    look('#f2ead8', '#2c4f63', 3, '#1f3b4a', 0.22, 'right', true),
  ),
  light(
    'the-maiden',
    'The Maiden',
    1902,
    27,
    [0.42, 0.71],
    'a red flash every five seconds',
    'White from foot to gallery, so that ships could find her by day as well.',
    look('#fbfaf5', null, 0, '#8a2f24', 0.19, 'right', false),
  ),
  light(
    'north-skerry',
    'North Skerry',
    1911,
    36,
    [0.66, 0.22],
    'one long flash every twelve seconds',
    'The last keeper left in a gale and came back for his kettle.',
    look('#efe9dd', '#1f2a30', 3, '#1f2a30', 0.18, 'islet', false),
  ),
  light(
    'corbel-rock',
    'Corbel Rock',
    1864,
    19,
    [0.51, 0.47],
    'four flashes every thirty seconds',
    'The gallery rests on forty-eight corbels, each carved as another fish.',
    look('#d9d0bf', '#8c5a33', 1, '#5a3a22', 0.26, 'left', false),
  ),
  light(
    'whin-ness',
    'Whin Ness',
    1879,
    25,
    [0.17, 0.83],
    'a white and a red flash in turn',
    'Yellow whin up to the door in May, and a view over all of the sound.',
    look('#f5efdf', '#c08a2e', 2, '#4a4136', 0.21, 'left', true),
  ),
  light(
    'tolmen-bar',
    'Tolmen Bar',
    1895,
    17,
    [0.09, 0.27],
    'quick flashes without a pause',
    'It marked the bar that moved; the tower was moved after it, twice.',
    look('#e8e3d6', '#a63d2a', 4, '#a63d2a', 0.24, 'right', false),
  ),
  light(
    'selk-island',
    'Selk Island',
    1883,
    29,
    [0.37, 0.94],
    'one flash every six seconds',
    'Seals on the landing, a fog horn in the hall, and a stair of ninety-one steps.',
    look('#eee8da', '#35563f', 2, '#243d2d', 0.2, 'islet', true),
  ),
  light(
    'farrow-deep',
    'Farrow Deep',
    1927,
    48,
    [0.74, 0.55],
    'two long flashes every twenty seconds',
    'The youngest and tallest, lit by its own mill and put out by a letter.',
    look('#f1ede4', '#4d5a63', 5, '#2b343a', 0.15, 'right', false),
  ),
];

/** The keepers who took the pictures, all invented. */
export const KEEPERS = ['Edda Marrow', 'Tam Hollin', 'Isbel Crane', 'Joss Perrin', 'Wyn Tarrant'] as const;

export const TRUST = 'The Skerry Light Trust';

export const NEWS: readonly { slug: string; title: string; text: string; light: string; time: TimeOfDay }[] =
  [
    {
      slug: 'lamp-lit-again',
      title: 'The lamp at Gannet Head is lit again',
      text: 'After nineteen years under a cloth the lens turns again, on the first Friday of each month.',
      light: 'gannet-head',
      time: 'night',
    },
    {
      slug: 'winter-walls',
      title: 'Lime on the north walls before winter',
      text: 'Forty volunteers, six boats and nine hundred kilos of lime.',
      light: 'the-maiden',
      time: 'day',
    },
    {
      slug: 'storm-of-the-ninth',
      title: 'What the storm of the ninth took',
      text: 'The landing on North Skerry is gone. The tower is not.',
      light: 'north-skerry',
      time: 'storm',
    },
    {
      slug: 'apples',
      title: 'Eleven apples from Little Farrow',
      text: 'The best harvest since the tree was planted.',
      light: 'little-farrow',
      time: 'day',
    },
    {
      slug: 'open-evenings',
      title: 'Open evenings at Whin Ness',
      text: 'Bring a lantern and somebody who has not seen the sound at dusk.',
      light: 'whin-ness',
      time: 'dusk',
    },
    {
      slug: 'counting-seals',
      title: 'Counting seals from the gallery',
      text: 'One hundred and four, or one hundred and three and a rock.',
      light: 'selk-island',
      time: 'dusk',
    },
  ];
