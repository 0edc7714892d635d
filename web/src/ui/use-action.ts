import { useMutation } from '@tanstack/react-query';
import { isUniferumApiError, UniferumConnectionError } from '@uniferum/client';
import { useRef } from 'react';

/** Passed on to the client's call. */
export interface ActionCall {
  idempotencyKey: string;
}

interface ActionOptions<Result> {
  onSuccess?: (result: Result) => unknown;
}

export interface Action<Input, Result> {
  /** Starts it; a press while it runs joins the running one. */
  mutate: (input: Input, options?: ActionOptions<Result>) => void;
  /** The same, with its result. */
  mutateAsync: (input: Input, options?: ActionOptions<Result>) => Promise<Result>;
  data: Result | undefined;
  error: Error | null;
  isPending: boolean;
  isSuccess: boolean;
  /** Forgets result and error. */
  reset: () => void;
}

/** The longest wait between two attempts while the server cannot be reached. */
const LONGEST_WAIT_MS = 10_000;

/**
 * An action of the user: one press, one effect. While the server cannot be reached it is tried again until it can,
 * always under one idempotency key; so is a press that repeats an action whose answer was lost.
 */
export function useAction<Result, Input = void>(
  work: (input: Input, call: ActionCall) => Promise<Result>,
  options: ActionOptions<Result> = {},
): Action<Input, Result> {
  const running = useRef<Promise<Result> | null>(null);
  const undecided = useRef<{ input: string; idempotencyKey: string } | null>(null);
  const mutation = useMutation({
    mutationFn: ({ input, call }: { input: Input; call: ActionCall }) => work(input, call),
    retry: (_failures, error) => error instanceof UniferumConnectionError,
    retryDelay: (failures) => Math.min(1000 * 2 ** failures, LONGEST_WAIT_MS),
    onSuccess: (result) => options.onSuccess?.(result),
  });
  const start = async (input: Input, more: ActionOptions<Result>): Promise<Result> => {
    const text = textOf(input);
    const isAgain = undecided.current?.input === text;
    const idempotencyKey = (isAgain && undecided.current?.idempotencyKey) || crypto.randomUUID();
    undecided.current = { input: text, idempotencyKey };
    try {
      const result = await mutation.mutateAsync({ input, call: { idempotencyKey } });
      undecided.current = null;
      more.onSuccess?.(result);
      return result;
    } catch (error) {
      // What the server has refused is decided: the next press is another action.
      if (isUniferumApiError(error) && error.status < 500) undecided.current = null;
      throw error;
    } finally {
      running.current = null;
    }
  };
  const mutateAsync = (input: Input, more: ActionOptions<Result> = {}) => {
    running.current ??= start(input, more);
    return running.current;
  };
  return {
    mutate: (input, more) => void mutateAsync(input, more).catch(() => {}),
    mutateAsync,
    data: mutation.data,
    error: mutation.error,
    isPending: mutation.isPending,
    isSuccess: mutation.isSuccess,
    reset: mutation.reset,
  };
}

/** A text by which a repeated input is recognised. */
function textOf(input: unknown): string {
  return JSON.stringify(input, (_name, value) =>
    value instanceof File ? [value.name, value.size, value.lastModified] : value,
  );
}
