import type { FailureGroup, ItemState, Run, RunItem, RunState, WorkersAnswer } from '@uniferum/core/runs';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';

export interface WaitOptions extends CallOptions {
  onProgress?: (run: Run) => void;
  /** @defaultValue 300 */
  pollMs?: number;
}

/** Workers and failures. */
export function workerCalls(http: Http) {
  return {
    /** The workers, their activity, the throughput per minute, and the queue. */
    get: (query: { minutes?: number } = {}, call: CallOptions = {}) =>
      http.json<WorkersAnswer>('/workers', { ...call, query }),
    /** Failed items of all runs, grouped by reason. */
    failures: (call: CallOptions = {}) =>
      http.json<{ items: FailureGroup[]; total: number }>('/runs/failures', call),
    /** Retries all items that failed for a reason. */
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
    /** Undoes the changes of a bulk job; values changed again since then stay. */
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
