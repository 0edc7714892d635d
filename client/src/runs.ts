import type { FailureGroup, ItemState, Run, RunItem, RunState, WorkersAnswer } from '@uniferum/core/runs';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';

export interface WaitOptions extends CallOptions {
  onProgress?: (run: Run) => void;
  /** @defaultValue 300 */
  pollMs?: number;
}

/** Workers, and what failed. */
export function workerCalls(http: Http) {
  return {
    /** What the workers are and do, how much was done each minute, and what waits. */
    get: (query: { minutes?: number } = {}, call: CallOptions = {}) =>
      http.json<WorkersAnswer>('/workers', { ...call, query }),
    /** Failed items of all runs, grouped by why they failed. */
    failures: (call: CallOptions = {}) =>
      http.json<{ items: FailureGroup[]; total: number }>('/runs/failures', call),
    /** Tries all items again that failed for a reason. */
    retryFailures: (failure: Pick<FailureGroup, 'reason' | 'kind'>, call: CallOptions = {}) =>
      http.json<{ items: number; runs: number }>('/runs/failures/retry', {
        ...call,
        method: 'POST',
        json: failure,
      }),
  };
}

/** Long work. */
export function runCalls(http: Http, list: ListCall) {
  return {
    list: (query: Paging & { state?: RunState } = {}, call: CallOptions = {}) =>
      list<Run>('/runs', query, call),
    get: (id: string, call: CallOptions = {}) => http.json<Run>(`/runs/${id}`, call),
    items: (id: string, query: Paging & { state?: ItemState } = {}, call: CallOptions = {}) =>
      list<RunItem>(`/runs/${id}/items`, query, call),
    stop: (id: string, call: CallOptions = {}) =>
      http.json<Run>(`/runs/${id}/stop`, { ...call, method: 'POST' }),
    resume: (id: string, call: CallOptions = {}) =>
      http.json<Run>(`/runs/${id}/resume`, { ...call, method: 'POST' }),
    retry: (id: string, call: CallOptions = {}) =>
      http.json<Run>(`/runs/${id}/retry`, { ...call, method: 'POST' }),
    /** Takes back what a bulk job changed; what was changed again since stays. */
    undo: (id: string, call: CallOptions = {}) =>
      http.json<{ run: Run }>(`/runs/${id}/undo`, { ...call, method: 'POST' }),
    /** Waits until a run has ended or was stopped. */
    wait: (id: string, wait: WaitOptions = {}) => waitForRun(http, id, wait),
  };
}

async function waitForRun(
  http: Http,
  id: string,
  { signal, onProgress, pollMs = 300 }: WaitOptions,
): Promise<Run> {
  for (;;) {
    const run = await http.json<Run>(`/runs/${id}`, { ...(signal && { signal }) });
    onProgress?.(run);
    if (run.state !== 'waiting' && run.state !== 'working' && run.state !== 'stopping') return run;
    await new Promise((resolve) => setTimeout(resolve, pollMs));
    signal?.throwIfAborted();
  }
}
