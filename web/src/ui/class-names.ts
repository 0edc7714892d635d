import { twMerge } from 'tailwind-merge';

/** Joins class names, skipping absent ones; a later class overrides an earlier one of the same kind. */
export function classNames(...names: (string | false | null | undefined)[]): string {
  return twMerge(names);
}
