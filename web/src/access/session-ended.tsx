import { Dialog } from 'radix-ui';
import { useSession } from './session.js';
import { SignInForm } from './sign-in.js';

/** Opens over the work when the session has ended. Requests wait behind it and go on after the sign-in. */
export function SessionEnded() {
  const hasEnded = useSession((state) => state.hasEnded);
  return (
    <Dialog.Root open={hasEnded}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-[80] bg-ground/75" />
        <Dialog.Content
          onEscapeKeyDown={(event) => event.preventDefault()}
          onInteractOutside={(event) => event.preventDefault()}
          className="fixed top-11 left-1/2 z-[81] w-[28rem] max-w-[calc(100vw-2rem)] -translate-x-1/2 border border-t-2 border-rule-strong border-t-oxide bg-surface"
        >
          <Dialog.Title className="sr-only">Your session has ended</Dialog.Title>
          <SignInForm title="Your session has ended" />
          <Dialog.Description className="px-10 pb-8 text-sm text-soft">
            Sign in to continue. Your work is still here, and what you last did is then carried on.
          </Dialog.Description>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
