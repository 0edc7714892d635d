import { useState } from 'react';
import { classNames } from './class-names.js';

interface CompareSliderProps {
  left: { src: string; alt: string };
  right: { src: string; alt: string };
  /** The slider's label for screen readers. */
  label: string;
  className?: string;
}

/** Two overlaid pictures: one left of the slider, the other right of it. */
export function CompareSlider({ left, right, label, className }: CompareSliderProps) {
  const [share, setShare] = useState(50);
  return (
    <div className={classNames('flex min-h-0 flex-col', className)}>
      <div className="relative min-h-0 flex-1 overflow-hidden bg-rule">
        <img src={right.src} alt={right.alt} className="absolute inset-0 size-full object-contain" />
        <img
          src={left.src}
          alt={left.alt}
          className="absolute inset-0 size-full object-contain"
          style={{ clipPath: `inset(0 ${100 - share}% 0 0)` }}
        />
        <span
          aria-hidden="true"
          className="absolute inset-y-0 w-0.5 bg-oxide"
          style={{ left: `${share}%` }}
        />
      </div>
      <input
        type="range"
        aria-label={label}
        className="mt-2 w-full accent-oxide"
        value={share}
        onChange={(event) => setShare(Number(event.target.value))}
      />
    </div>
  );
}
