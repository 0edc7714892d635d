import { roundSide, type Size } from './geometry.js';
import type { WatermarkStep } from './steps.js';

/** The placement of a watermark: its width is set, its height follows from its proportions. */
export interface WatermarkBox {
  widthPx: number;
  marginPx: number;
}

/** The size of a watermark on a picture of `size`. */
export function watermarkBox({ size: percent = 20, margin = 3 }: WatermarkStep, size: Size): WatermarkBox {
  return {
    widthPx: roundSide((size.width * percent) / 100),
    marginPx: Math.round((Math.min(size.width, size.height) * margin) / 100),
  };
}

/** The position of a watermark of a known size; it is cut off at the picture's edges when it is larger. */
export function placeWatermark(
  { place = 'bottom-right' }: WatermarkStep,
  { marginPx }: WatermarkBox,
  picture: Size,
  mark: Size,
): { left: number; top: number } {
  const along = (isStart: boolean, isEnd: boolean, room: number) =>
    Math.round(isStart ? Math.min(marginPx, room) : isEnd ? room - Math.min(marginPx, room) : room / 2);
  return {
    left: along(place.endsWith('left'), place.endsWith('right'), picture.width - mark.width),
    top: along(place.startsWith('top'), place.startsWith('bottom'), picture.height - mark.height),
  };
}
