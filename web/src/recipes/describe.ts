import { type Ladder, type Recipe, type RecipeTime, STEP_KINDS, type Step } from '@uniferum/core/recipes';

/** Describes a chain of steps: `fit into 1600 × 1600, then sepia 80 %`. */
export function describeSteps(steps: readonly Step[]): string {
  return steps.length === 0 ? 'the whole picture' : steps.map(describeStep).join(', then ');
}

/** Describes a recipe's output: `JPEG, quality 80, with AVIF and WebP`. */
export function describeOutput({
  format,
  quality,
  metadata,
  maxBytes,
  likeness,
  also,
  colour,
}: Recipe['output']): string {
  const words = [format === 'keep' ? 'same format' : format.toUpperCase()];
  if (maxBytes !== undefined) words.push(`at most ${Math.round(maxBytes / 1000)} kB`);
  else if (likeness !== undefined) words.push(`likeness of ${likeness}`);
  else if (format !== 'png' && format !== 'gif') words.push(`quality ${quality}`);
  if (also?.length) words.push(`also ${also.map((one) => one.toUpperCase()).join(' and ')}`);
  if (metadata !== 'none') words.push(metadata === 'rights' ? 'with rights' : 'with all metadata');
  if (colour === 'keep') words.push('colours kept');
  return words.join(', ');
}

/** Describes the widths. */
export function describeLadder(ladder: Ladder): string {
  return 'widths' in ladder
    ? `${ladder.widths.length} widths, ${[...ladder.widths].sort((a, b) => a - b).join(', ')}`
    : `widths from ${ladder.from} up, in equal size steps`;
}

export const WHEN_WORDS: Record<RecipeTime, string> = {
  background: 'in the background',
  'at-once': 'immediately, before the upload is answered',
  'on-request': 'on first request',
};

/** Describes one step, for its card in the chain. */
export function describeStep(step: Step): string {
  const title = STEP_KINDS[step.op].title.toLowerCase();
  switch (step.op) {
    case 'fit':
      return describeFit(step);
    case 'crop':
      return step.aspect
        ? `crop to ${step.aspect}`
        : `crop ${step.width} × ${step.height}${step.unit === 'percent' ? ' %' : ''}`;
    case 'rotate':
      return `rotate by ${step.degrees}°`;
    case 'flip':
      return step.axis === 'horizontal' ? 'mirror left and right' : 'mirror top and bottom';
    case 'greyscale':
    case 'sepia':
      return step.amount === undefined || step.amount === 1 ? title : `${title} ${percent(step.amount)}`;
    case 'tint':
      return `tint ${step.colour}`;
    case 'brightness':
    case 'contrast':
    case 'saturation':
      return `${title} × ${step.amount}`;
    case 'blur':
      return `blur ${step.radius} px`;
    case 'sharpen':
      return 'sharpen';
    case 'pixelate':
      return `pixelate ${step.size} px`;
    case 'border':
      return `border of ${step.width} px`;
    case 'corners':
      return `corners of ${step.radius} px`;
    case 'background':
      return `background ${step.colour}`;
    case 'watermark':
      return `watermark ${step.words ? `“${step.words}”` : (step.picture ?? '')}`;
    case 'trim':
      return 'trim edges';
    case 'page':
      return `page ${step.page ?? 1}`;
    case 'moment':
      return step.at === undefined ? 'a moment of the film' : `the moment at ${step.at} s`;
    case 'wave':
      return `wave form of ${step.width ?? 1200} × ${step.height ?? 240}`;
  }
}

function describeFit({ mode, width, height }: Extract<Step, { op: 'fit' }>): string {
  if (mode === 'cover') return `cover ${width} × ${height}`;
  if (mode === 'contain') return `contain in ${width} × ${height}`;
  if (mode === 'fill') return `stretch to ${width ?? 'own'} × ${height ?? 'own'}`;
  if (width && height) return `fit into ${width} × ${height}`;
  return width ? `fit to ${width} wide` : `fit to ${height} high`;
}

function percent(amount: number): string {
  return `${Math.round(amount * 100)} %`;
}
