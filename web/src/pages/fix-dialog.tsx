import type { FixRequest } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { useFix, useFixRehearsal } from './hooks.js';
import { RewriteDiff } from './rewrite-diff.js';

/** Rehearses replacing broken references by what is proposed for them, then starts it. */
export function FixDialog({ request, onClose }: { request: FixRequest; onClose: () => void }) {
  const { data: plan, error } = useFixRehearsal(request);
  const fix = useFix();
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await fix.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  const { edits = 0, documents = 0 } = plan?.totals ?? {};
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Rehearse fixes"
      description="Only the addresses change; every other byte of a document stays. You can undo the run."
      className="w-[56rem]"
    >
      <div className="flex flex-col gap-4">
        <RewriteDiff items={plan?.items ?? []} />
        <p className="min-h-5 text-sm text-soft">
          {plan &&
            `${formatCount(edits, 'address', 'addresses')} in ${formatCount(documents, 'document')} would be replaced.`}
        </p>
        <FormFoot error={error ?? fix.error} code={fixCode(request)}>
          <Button
            look="main"
            disabled={edits === 0 || fix.isPending}
            onClick={() => void apply().catch(() => {})}
          >
            {plan ? `Replace ${formatCount(edits, 'address', 'addresses')}` : 'Rehearsing …'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function fixCode(request: FixRequest) {
  const source = 'all' in request ? request.source : undefined;
  return {
    method: 'POST' as const,
    path: '/references/fix',
    body: request,
    client: `const { run } = await uniferum.references.fix(${JSON.stringify(request)});`,
    ...('all' in request && { command: `uniferum broken --fix${source ? ` --source ${source}` : ''}` }),
  };
}
