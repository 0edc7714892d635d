import { useState } from 'react';
import { classNames } from './class-names.js';

interface PictureProps {
  src: string;
  placeholder: string | null;
  alt: string;
  className?: string;
}

/** A picture over its blurred placeholder, which stays until it has loaded, so that nothing moves. */
export function Picture({ src, placeholder, alt, className }: PictureProps) {
  const [isLoaded, setLoaded] = useState(false);
  return (
    <span className={classNames('relative block overflow-hidden bg-rule', className)}>
      {placeholder && (
        <span
          className="absolute inset-0 scale-110 bg-cover bg-center blur-md"
          style={{ backgroundImage: `url("${placeholder}")` }}
        />
      )}
      <img
        src={src}
        alt={alt}
        loading="lazy"
        decoding="async"
        onLoad={() => setLoaded(true)}
        className={classNames(
          'relative block size-full object-cover transition-opacity duration-200',
          isLoaded ? 'opacity-100' : 'opacity-0',
        )}
      />
    </span>
  );
}
