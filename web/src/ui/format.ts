import { format, formatDistanceToNowStrict } from 'date-fns';

/** Formats a date unambiguously: `3 Nov 2026, 14:05`. */
export function formatMoment(iso: string): string {
  return format(new Date(iso), 'd MMM yyyy, HH:mm');
}

/** Formats what a camera's clock showed, with its offset where that is known: `3 Nov 2026, 14:05 +01:00`. */
export function formatCaptured(local: string): string {
  // Without its offset it is read as a time of here, and so written as it stands.
  const clock = format(new Date(local.slice(0, 19)), 'd MMM yyyy, HH:mm');
  return `${clock} ${local.slice(19)}`.trimEnd();
}

/** Formats an age: `4 minutes ago`. */
export function formatAgo(iso: string): string {
  return formatDistanceToNowStrict(new Date(iso), { addSuffix: true });
}

/** Formats a duration: `8 s`, `3 min 20 s`, `2 h 5 min`. */
export function formatSeconds(seconds: number): string {
  if (seconds < 60) return `${Math.round(seconds)} s`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
  return `${Math.floor(seconds / 3600)} h ${Math.round((seconds % 3600) / 60)} min`;
}

export function formatNumber(value: number): string {
  return value.toLocaleString('en-GB');
}
