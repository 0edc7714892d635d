import type { Folder } from '@uniferum/core/library';
import { useRight } from '../access/hooks.js';
import { Dialog } from '../ui/dialog.js';
import { ErrorNotice } from '../ui/notice.js';
import { EffectiveRuleList } from './effective-rules.js';
import { useRules } from './hooks.js';
import { OwnRules } from './own-rules.js';

interface RulesDialogProps {
  folder: Folder;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Shows what a folder accepts, and edits its own rules. */
export function RulesDialog({ folder, isOpen, onOpenChange }: RulesDialogProps) {
  const { data, error } = useRules(folder.id);
  const mayChange = useRight('rules:write');
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Rules of ${folder.path}`}
      description="Subfolders inherit them unless they set their own. Denied types always apply."
      className="w-[52rem]"
    >
      {error && <ErrorNotice error={error} />}
      {data && (
        <div className="flex flex-col gap-5">
          <section aria-label="Effective rules">
            <EffectiveRuleList rules={data.effective} folder={folder.path} />
          </section>
          {mayChange ? (
            <OwnRules folder={folder} onDone={() => onOpenChange(false)} />
          ) : (
            <p className="text-sm text-soft">To change rules you need the right “rules:write”.</p>
          )}
        </div>
      )}
    </Dialog>
  );
}
