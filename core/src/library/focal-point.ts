/** A point of a picture, as fractions 0–1 of width and height from the top left. */
export interface FocalPoint {
  x: number;
  y: number;
}
