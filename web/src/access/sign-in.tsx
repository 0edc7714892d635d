import { useForm } from 'react-hook-form';
import { Mark } from '../console/mark.js';
import { usePageTitle } from '../console/use-page-title.js';
import { Button } from '../ui/button.js';
import { Field, Input } from '../ui/field.js';
import { ErrorNotice } from '../ui/notice.js';
import { useSignIn } from './hooks.js';

interface Credentials {
  email: string;
  password: string;
}

/** The page before the console. */
export function SignIn() {
  usePageTitle('Sign in');
  return (
    <main className="grid min-h-full grid-cols-1 md:grid-cols-[1fr_26rem]">
      <About />
      <SignInForm />
    </main>
  );
}

function About() {
  return (
    <section className="hidden flex-col justify-between border-r border-rule p-12 md:flex">
      <Mark className="text-lg" />
      <ol className="flex max-w-2xl flex-col gap-0">
        {STATIONS.map(([word, text]) => (
          <li key={word} className="grid grid-cols-[8rem_1fr] items-baseline gap-6 border-t border-rule py-4">
            <span className="text-lg font-semibold">{word}</span>
            <span className="text-soft">{text}</span>
          </li>
        ))}
      </ol>
      <p className="text-sm text-soft">
        Everything here can also be scripted. The API is documented at /api/v1/openapi.json.
      </p>
    </section>
  );
}

/** Asks for email and password. */
export function SignInForm({ title = 'Sign in' }: { title?: string }) {
  const { register, handleSubmit, formState } = useForm<Credentials>();
  const signIn = useSignIn();
  return (
    <form
      className="flex flex-col justify-center gap-5 bg-surface p-10"
      onSubmit={handleSubmit((credentials) => signIn.mutate(credentials))}
    >
      <h1 className="text-xl font-semibold">{title}</h1>
      <Field label="Email" error={formState.errors.email?.message}>
        {(props) => (
          <Input
            type="email"
            autoComplete="username"
            autoFocus
            {...props}
            {...register('email', { required: 'Enter your email.' })}
          />
        )}
      </Field>
      <Field label="Password" error={formState.errors.password?.message}>
        {(props) => (
          <Input
            type="password"
            autoComplete="current-password"
            {...props}
            {...register('password', { required: 'Enter your password.' })}
          />
        )}
      </Field>
      {signIn.error && <ErrorNotice error={signIn.error} />}
      <Button look="main" type="submit" disabled={signIn.isPending} className="self-start">
        {signIn.isPending ? 'Signing in …' : 'Sign in'}
      </Button>
    </form>
  );
}

const STATIONS: [string, string][] = [
  ['Intake', 'Import files and check them against the rules of their folder.'],
  ['Library', 'Every file with its texts, at a permanent address.'],
  ['Recipes', 'The sizes and crops the site needs, created in the background.'],
  ['Runs', 'Background work, with progress, stop and resume.'],
];
