import { twMerge } from 'tailwind-merge';

/** Joins class names, leaves out what is absent, and lets a later class win over an earlier one of the same kind. */
export function classNames(...names: (string | false | null | undefined)[]): string {
  return twMerge(names);
}
