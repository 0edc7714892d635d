import { Button } from './button.js';
import { FailureLine } from './notice.js';

interface DeleteQuestionProps {
  /** What deleting means, in a sentence. */
  about: string;
  /** The words of the button. */
  action: string;
  isPending: boolean;
  error: unknown;
  onDelete: () => void;
  onKeep: () => void;
}

/** Asks in place before something is deleted. */
export function DeleteQuestion({ about, action, isPending, error, onDelete, onKeep }: DeleteQuestionProps) {
  return (
    <span className="flex flex-wrap items-center justify-end gap-2">
      <span className="text-sm">{about}</span>
      <FailureLine error={error} />
      <Button look="fault" disabled={isPending} onClick={onDelete}>
        {action}
      </Button>
      <Button look="quiet" onClick={onKeep}>
        Keep
      </Button>
    </span>
  );
}
