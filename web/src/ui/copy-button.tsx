import { Check, Code, Copy } from 'lucide-react';
import { useEffect, useState } from 'react';
import { IconButton } from './button.js';

const SHOWN_MS = 1500;

interface CopyButtonProps {
  text: string;
  name: string;
  /** What is copied: a text, or code. */
  icon?: 'copy' | 'code';
}

/** Copies a text, and confirms it briefly. */
export function CopyButton({ text, name, icon = 'copy' }: CopyButtonProps) {
  const Icon = icon === 'code' ? Code : Copy;
  const [isCopied, setCopied] = useState(false);
  useEffect(() => {
    if (!isCopied) return;
    const timer = setTimeout(() => setCopied(false), SHOWN_MS);
    return () => clearTimeout(timer);
  }, [isCopied]);
  const copy = async () => {
    await navigator.clipboard.writeText(text);
    setCopied(true);
  };
  return (
    <IconButton name={isCopied ? 'Copied' : name} onClick={copy} className="size-6">
      {isCopied ? <Check className="size-3.5 text-verdigris" /> : <Icon className="size-3.5" />}
    </IconButton>
  );
}
