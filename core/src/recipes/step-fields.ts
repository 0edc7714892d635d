import { CENTRES, PLACES, type StepOp } from './steps.js';

/** One setting of a step, as used by forms, schemas and validation. */
export type StepField = { label: string; required?: boolean } & (
  | { kind: 'integer' | 'number'; min: number; max: number; unit?: string; default?: number; step?: number }
  | { kind: 'choice'; options: readonly string[]; default?: string }
  | { kind: 'flag' }
  | { kind: 'colour'; default?: string }
  | { kind: 'aspect' }
  | { kind: 'words'; max: number }
  | { kind: 'picture' }
);

/** One kind of step. `starts` are the settings of a newly added step. */
export interface StepKind {
  title: string;
  group: 'source' | 'shape' | 'tone' | 'detail' | 'finish';
  says: string;
  fields: Record<string, StepField>;
  starts: Record<string, unknown>;
}

/** The maximum side of a picture, in pixels: near the limit of the JPEG and WebP formats. */
export const MAX_SIDE_PX = 16_384;

const side = (label: string): StepField => ({ label, kind: 'integer', min: 1, max: MAX_SIDE_PX, unit: 'px' });
const fraction = (label: string, value: number): StepField => ({
  label,
  kind: 'number',
  min: 0,
  max: 1,
  default: value,
  step: 0.05,
});
const factor = (label: string): StepField => ({
  label,
  kind: 'number',
  min: 0,
  max: 4,
  step: 0.05,
  required: true,
});
const colour = (label: string, value?: string): StepField => ({
  label,
  kind: 'colour',
  ...(value === undefined ? { required: true } : { default: value }),
});
const around: StepField = { label: 'Keep', kind: 'choice', options: CENTRES, default: 'focal' };

/** Every kind of step with its settings. Forms, validation, the OpenAPI document and the JSON Schema are derived from it. */
export const STEP_KINDS: Record<StepOp, StepKind> = {
  page: {
    title: 'Page',
    group: 'source',
    says: 'the page of a document that becomes the picture',
    fields: {
      page: { label: 'Page', kind: 'integer', min: 1, max: 100_000, default: 1 },
      dpi: { label: 'Resolution', kind: 'integer', min: 18, max: 600, unit: 'dpi', default: 150 },
    },
    starts: { page: 1 },
  },
  moment: {
    title: 'Moment',
    group: 'source',
    says: 'the frame of a video that becomes the picture',
    fields: { at: { label: 'At', kind: 'number', min: 0, max: 1_000_000, unit: 's', step: 0.1 } },
    starts: { at: 1 },
  },
  wave: {
    title: 'Wave form',
    group: 'source',
    says: 'the waveform of an audio file as a drawing',
    fields: {
      width: { label: 'Width', kind: 'integer', min: 16, max: 8000, unit: 'px', default: 1200 },
      height: { label: 'Height', kind: 'integer', min: 8, max: 4000, unit: 'px', default: 240 },
      colour: colour('Colour', '#8a3a25'),
      background: colour('Background', 'transparent'),
    },
    starts: { width: 1200, height: 240 },
  },
  fit: {
    title: 'Fit',
    group: 'shape',
    says: 'fits the picture into a box',
    fields: {
      width: side('Width'),
      height: side('Height'),
      mode: {
        label: 'How',
        kind: 'choice',
        options: ['inside', 'cover', 'contain', 'fill'],
        default: 'inside',
        required: true,
      },
      around,
      background: colour('Background', 'transparent'),
      enlarge: { label: 'Enlarge small ones', kind: 'flag' },
    },
    starts: { width: 1000, height: 1000, mode: 'inside' },
  },
  crop: {
    title: 'Crop',
    group: 'shape',
    says: 'cuts out a part',
    fields: {
      aspect: { label: 'Aspect', kind: 'aspect' },
      width: { label: 'Width', kind: 'number', min: 0.01, max: MAX_SIDE_PX },
      height: { label: 'Height', kind: 'number', min: 0.01, max: MAX_SIDE_PX },
      left: { label: 'Left', kind: 'number', min: 0, max: MAX_SIDE_PX },
      top: { label: 'Top', kind: 'number', min: 0, max: MAX_SIDE_PX },
      unit: { label: 'Unit', kind: 'choice', options: ['px', 'percent'], default: 'px' },
      around,
    },
    starts: { aspect: '3:2' },
  },
  rotate: {
    title: 'Rotate',
    group: 'shape',
    says: 'turns clockwise',
    fields: {
      degrees: { label: 'Degrees', kind: 'number', min: -360, max: 360, unit: '°', required: true },
      background: colour('Background', 'transparent'),
    },
    starts: { degrees: 90 },
  },
  flip: {
    title: 'Flip',
    group: 'shape',
    says: 'mirrors the picture',
    fields: {
      axis: { label: 'Axis', kind: 'choice', options: ['horizontal', 'vertical'], required: true },
    },
    starts: { axis: 'horizontal' },
  },
  trim: {
    title: 'Trim',
    group: 'shape',
    says: 'removes single-colour edges',
    fields: { tolerance: { label: 'Tolerance', kind: 'integer', min: 0, max: 255, default: 10 } },
    starts: {},
  },
  greyscale: {
    title: 'Greyscale',
    group: 'tone',
    says: 'removes colour',
    fields: { amount: fraction('Amount', 1) },
    starts: {},
  },
  sepia: {
    title: 'Sepia',
    group: 'tone',
    says: 'adds a brown tone',
    fields: { amount: fraction('Amount', 1) },
    starts: {},
  },
  tint: {
    title: 'Tint',
    group: 'tone',
    says: 'colours the greyscale picture',
    fields: { colour: colour('Colour'), amount: fraction('Amount', 1) },
    starts: { colour: '#7d9aa8', amount: 0.6 },
  },
  brightness: {
    title: 'Brightness',
    group: 'tone',
    says: 'multiplies every value; 1 = unchanged',
    fields: { amount: factor('Factor') },
    starts: { amount: 1.1 },
  },
  contrast: {
    title: 'Contrast',
    group: 'tone',
    says: 'spreads values around the middle; 1 = unchanged',
    fields: { amount: factor('Factor') },
    starts: { amount: 1.1 },
  },
  saturation: {
    title: 'Saturation',
    group: 'tone',
    says: 'strengthens or fades colours; 1 = unchanged',
    fields: { amount: factor('Factor') },
    starts: { amount: 1.2 },
  },
  blur: {
    title: 'Blur',
    group: 'detail',
    says: 'applies a Gaussian blur',
    fields: {
      radius: { label: 'Radius', kind: 'number', min: 0.3, max: 200, unit: 'px', required: true, step: 0.5 },
    },
    starts: { radius: 4 },
  },
  sharpen: {
    title: 'Sharpen',
    group: 'detail',
    says: 'brings edges out',
    fields: {
      radius: { label: 'Radius', kind: 'number', min: 0.3, max: 10, unit: 'px', default: 1, step: 0.1 },
    },
    starts: {},
  },
  pixelate: {
    title: 'Pixelate',
    group: 'detail',
    says: 'replaces areas with single-colour blocks',
    fields: {
      size: { label: 'Block', kind: 'integer', min: 2, max: 1000, unit: 'px', required: true },
    },
    starts: { size: 12 },
  },
  border: {
    title: 'Border',
    group: 'finish',
    says: 'adds a frame around the picture',
    fields: {
      width: { label: 'Width', kind: 'integer', min: 1, max: 1000, unit: 'px', required: true },
      colour: colour('Colour'),
    },
    starts: { width: 12, colour: '#ffffff' },
  },
  corners: {
    title: 'Rounded corners',
    group: 'finish',
    says: 'rounds the corners; they become transparent',
    fields: {
      radius: { label: 'Radius', kind: 'integer', min: 1, max: 4000, unit: 'px', required: true },
    },
    starts: { radius: 24 },
  },
  background: {
    title: 'Background',
    group: 'finish',
    says: 'fills transparent areas with a colour',
    fields: { colour: colour('Colour') },
    starts: { colour: '#ffffff' },
  },
  watermark: {
    title: 'Watermark',
    group: 'finish',
    says: 'adds a picture or text on top',
    fields: {
      picture: { label: 'Picture', kind: 'picture' },
      words: { label: 'Words', kind: 'words', max: 200 },
      colour: colour('Colour of words', '#ffffff'),
      place: { label: 'Place', kind: 'choice', options: PLACES, default: 'bottom-right' },
      size: { label: 'Width', kind: 'number', min: 1, max: 100, unit: '%', default: 20 },
      margin: { label: 'Margin', kind: 'number', min: 0, max: 45, unit: '%', default: 3, step: 0.5 },
      opacity: fraction('Opacity', 0.7),
    },
    starts: { words: '© ' },
  },
};

export const STEP_OPS = Object.keys(STEP_KINDS) as StepOp[];

/** `#rrggbb`, `#rrggbbaa`, or `transparent`. */
export const COLOUR = /^(?:#[0-9a-fA-F]{6}(?:[0-9a-fA-F]{2})?|transparent)$/;
