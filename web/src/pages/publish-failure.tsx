import { isUniferumApiError } from '@uniferum/client';
import { Button } from '../ui/button.js';
import { ErrorNotice } from '../ui/notice.js';

/** Why a page could not be saved or published. Pictures without text can be published all the same, when that is said. */
export function PublishFailure({ error, onForce }: { error: Error; onForce: () => void }) {
  const errors = isUniferumApiError(error) ? (error.problem.errors ?? []) : [];
  const isAboutTexts = errors.length > 0 && errors.every(({ code }) => code === 'text-missing');
  if (errors.length === 0)
    return (
      <div className="px-6 py-2">
        <ErrorNotice error={error} />
      </div>
    );
  return (
    <div role="alert" className="flex flex-col gap-1 border-y border-rule bg-raised px-6 py-2 text-sm">
      <ul className="list-disc pl-5 text-fault">
        {errors.map(({ field, message }) => (
          <li key={`${field} ${message}`}>{message}</li>
        ))}
      </ul>
      {isAboutTexts && (
        <Button look="quiet" className="self-start" onClick={onForce}>
          Publish without alternative text
        </Button>
      )}
    </div>
  );
}
