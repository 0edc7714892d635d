import { AlertDialog } from 'radix-ui';
import { useEffect } from 'react';
import { create } from 'zustand';
import { Button } from './button.js';

interface Question {
  title: string;
  /** What is lost. */
  text: string;
  /** The button that goes on, such as "Discard changes". */
  yes: string;
  /** The button that goes back to the work. */
  no: string;
}

interface AskState {
  question: (Question & { answer: (isYes: boolean) => void }) | null;
}

const useAsk = create<AskState>(() => ({ question: null }));

/** Asks before something is lost. Resolves to false when the question is dismissed, or another one is asked. */
export function ask(question: Question): Promise<boolean> {
  useAsk.getState().question?.answer(false);
  return new Promise((resolve) => {
    const answer = (isYes: boolean) => {
      useAsk.setState({ question: null });
      resolve(isYes);
    };
    useAsk.setState({ question: { ...question, answer } });
  });
}

/** Shows the question that is being asked. Rendered once, above everything else. */
export function AskDialog() {
  const question = useAsk((state) => state.question);
  useEffect(() => () => useAsk.getState().question?.answer(false), []);
  if (!question) return null;
  const { title, text, yes, no, answer } = question;
  return (
    <AlertDialog.Root open onOpenChange={() => answer(false)}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-[70] bg-ground/75" />
        <AlertDialog.Content className="fixed top-28 left-1/2 z-[71] w-[26rem] max-w-[calc(100vw-2rem)] -translate-x-1/2 border border-t-2 border-rule-strong border-t-ochre bg-raised px-5 py-4">
          <AlertDialog.Title className="text-lg font-semibold">{title}</AlertDialog.Title>
          <AlertDialog.Description className="pt-1 text-sm text-soft">{text}</AlertDialog.Description>
          <div className="flex gap-2 pt-4">
            <AlertDialog.Cancel asChild>
              <Button look="main">{no}</Button>
            </AlertDialog.Cancel>
            <Button look="fault" onClick={() => answer(true)}>
              {yes}
            </Button>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
