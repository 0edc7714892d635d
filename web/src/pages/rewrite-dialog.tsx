import type { RewriteRequest } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { PageSourceAnswer } from '@uniferum/core/pages';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { uniferum } from '../client.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input, TextArea } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { useAction } from '../ui/use-action.js';
import { RewriteDiff } from './rewrite-diff.js';

interface RewriteForm {
  /** The ids of sources. */
  chosen: ReadonlySet<string>;
  from: string;
  to: string;
  /** Whether all addresses that begin with the old one are replaced. */
  isPrefix: boolean;
  csv: string;
}

interface RewriteDialogProps {
  /** Those that may be rewritten. */
  sources: readonly PageSourceAnswer[];
  onClose: () => void;
}

/** Replaces addresses in sources: rehearsed with what changes in each document, then made in a run that can be undone. */
export function RewriteDialog({ sources, onClose }: RewriteDialogProps) {
  const [form, setForm] = useState<RewriteForm>({
    ...{ from: '', to: '', isPrefix: true, csv: '' },
    chosen: new Set(sources.map(({ id }) => id)),
  });
  const navigate = useNavigate();
  const rehearse = useAction((request: RewriteRequest, call) => uniferum.rewrites.rehearse(request, call));
  const begin = useAction((request: RewriteRequest, call) => uniferum.rewrites.begin(request, call));
  const request = toRequest(form);
  const isEmpty = form.chosen.size === 0 || !(request.map ?? request.prefixes ?? request.csv);
  const plan = rehearse.data?.plan;
  // The rehearsal no longer matches the form.
  const change = (part: Partial<RewriteForm>) => {
    rehearse.reset();
    setForm({ ...form, ...part });
  };
  const apply = async () => {
    const { run } = await begin.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Replace addresses"
      description="Only the addresses change; every other byte of a document stays. You can undo the run."
      unsaved={isEmpty ? null : 'The addresses have not been replaced.'}
      className="w-[56rem]"
    >
      <div className="flex flex-col gap-4">
        <RewriteFields sources={sources} form={form} onChange={change} />
        {plan && <RewriteDiff items={plan.items} />}
        {plan && (
          <p role="status" className="text-sm">
            {formatCount(plan.totals.edits, 'address', 'addresses')} in{' '}
            {formatCount(plan.totals.documents, 'document')} would be replaced
            {plan.totals.unreadable > 0 &&
              `; ${formatCount(plan.totals.unreadable, 'document')} can't be rewritten`}
            .
          </p>
        )}
        <FormFoot
          error={rehearse.error ?? begin.error}
          code={{
            method: 'POST',
            path: '/rewrites',
            body: request,
            client: `const { run } = await uniferum.rewrites.begin(${JSON.stringify(request)});`,
          }}
        >
          <Button
            look={plan ? 'plain' : 'main'}
            disabled={isEmpty || rehearse.isPending}
            onClick={() => rehearse.mutate(request)}
          >
            {rehearse.isPending ? 'Rehearsing …' : 'Rehearse'}
          </Button>
          <Button
            look={plan ? 'main' : 'plain'}
            disabled={!plan || plan.totals.edits === 0 || begin.isPending}
            onClick={() => void apply().catch(() => {})}
          >
            {plan ? `Replace ${formatCount(plan.totals.edits, 'address', 'addresses')}` : 'Replace'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function toRequest({ chosen, from, to, isPrefix, csv }: RewriteForm): RewriteRequest {
  return {
    sources: [...chosen],
    ...(from !== '' && to !== '' && { [isPrefix ? 'prefixes' : 'map']: [{ from, to }] }),
    ...(csv.trim() !== '' && { csv }),
  };
}

interface RewriteFieldsProps {
  sources: readonly PageSourceAnswer[];
  form: RewriteForm;
  onChange: (part: Partial<RewriteForm>) => void;
}

function RewriteFields({ sources, form, onChange }: RewriteFieldsProps) {
  const { chosen, from, to, isPrefix, csv } = form;
  return (
    <>
      <fieldset className="flex flex-wrap gap-x-6 gap-y-2">
        <legend className="mb-1 text-sm font-medium">In</legend>
        {sources.map(({ id, name }) => (
          <Checkbox
            key={id}
            label={name}
            checked={chosen.has(id)}
            onChange={() => onChange({ chosen: toggled(chosen, id) })}
          />
        ))}
      </fieldset>
      <div className="flex flex-wrap gap-3">
        <Field label="Old address" className="min-w-64 flex-1">
          {(props) => (
            <Input
              {...props}
              className="font-mono"
              placeholder="https://old.example.com/files/"
              value={from}
              onChange={(event) => onChange({ from: event.target.value })}
            />
          )}
        </Field>
        <Field label="New address" className="min-w-64 flex-1">
          {(props) => (
            <Input
              {...props}
              className="font-mono"
              placeholder="/media/"
              value={to}
              onChange={(event) => onChange({ to: event.target.value })}
            />
          )}
        </Field>
      </div>
      <Checkbox
        label="Replace every address that starts with it"
        checked={isPrefix}
        onChange={(event) => onChange({ isPrefix: event.target.checked })}
      />
      <Field
        label="Or several at once"
        hint="Two columns, separated by a comma: old and new address, one pair in a line."
      >
        {(props) => (
          <TextArea
            {...props}
            rows={3}
            className="font-mono"
            value={csv}
            onChange={(event) => onChange({ csv: event.target.value })}
          />
        )}
      </Field>
    </>
  );
}

function toggled(ids: ReadonlySet<string>, id: string): ReadonlySet<string> {
  const next = new Set(ids);
  if (!next.delete(id)) next.add(id);
  return next;
}
