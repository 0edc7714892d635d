import { useEffect, useState } from 'react';

/** A value once it has stayed the same for a while: what is typed on is not asked for at every letter. */
export function useDebounced<Value>(value: Value, ms: number): Value {
  const [settled, setSettled] = useState(value);
  const text = JSON.stringify(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(JSON.parse(text)), ms);
    return () => clearTimeout(timer);
  }, [text, ms]);
  return settled;
}
