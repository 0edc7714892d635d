import { useEffect, useState } from 'react';

/** Returns a value once it has been stable for a while, so that typing does not send a request per letter. */
export function useDebounced<Value>(value: Value, ms: number): Value {
  const [settled, setSettled] = useState(value);
  const text = JSON.stringify(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(JSON.parse(text)), ms);
    return () => clearTimeout(timer);
  }, [text, ms]);
  return settled;
}
