import { formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Checkbox, Field, TextArea } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { StateMark } from '../ui/state-mark.js';
import { useAddressChanges } from './hooks.js';

/** Imports URLs: files are downloaded, videos and posts are kept as links. */
export function AddressPanel({ folder }: { folder: string }) {
  const [text, setText] = useState('');
  const [isLink, setLink] = useState(false);
  const { fetchAll, keepLinks } = useAddressChanges();
  const addresses = text.split(/\s+/).filter((line) => line !== '');
  const work = isLink ? keepLinks : fetchAll;
  const go = () => work.mutate({ folder, addresses }, { onSuccess: () => setText('') });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        go();
      }}
    >
      <AddressesField text={text} onType={setText} />
      <Checkbox
        label="Keep as links: a film or post stays where it is, and comes with its title and preview (oEmbed)"
        checked={isLink}
        onChange={(event) => setLink(event.target.checked)}
      />
      <FormFoot error={work.error} code={addressCode(folder, addresses, isLink)}>
        <Button look="main" type="submit" disabled={addresses.length === 0 || work.isPending}>
          {isLink ? 'Keep' : 'Fetch'}{' '}
          {addresses.length === 0 ? 'addresses' : formatCount(addresses.length, 'address', 'addresses')}
        </Button>
      </FormFoot>
      {keepLinks.data && <LinkList links={keepLinks.data} />}
    </form>
  );
}

function AddressesField({ text, onType }: { text: string; onType: (text: string) => void }) {
  return (
    <Field
      label="Addresses"
      hint="One a line; http, https or data URIs. Redirects are followed; private networks are not reached."
    >
      {(props) => (
        <TextArea
          rows={4}
          className="font-mono text-xs"
          placeholder="https://…"
          value={text}
          onChange={(event) => onType(event.target.value)}
          {...props}
        />
      )}
    </Field>
  );
}

interface LinkListProps {
  links: NonNullable<ReturnType<typeof useAddressChanges>['keepLinks']['data']>;
}

function LinkList({ links }: LinkListProps) {
  return (
    <ul className="border-t border-rule">
      {links.map(({ address, asset, error }) => (
        <li key={address} className="flex items-baseline gap-4 border-b border-rule py-1.5 text-sm">
          <StateMark state={asset ? 'accepted' : 'refused'} />
          <span className="truncate">{asset?.title ?? address}</span>
          <span className="text-soft">{error}</span>
        </li>
      ))}
    </ul>
  );
}

function addressCode(folder: string, addresses: readonly string[], isLink: boolean) {
  const [first = 'https://skerry.example/dusk.jpg'] = addresses;
  const command = commandLine(
    'up',
    ...(addresses.length > 0 ? addresses : [first]),
    isLink && '--link',
    ...option('--to', folder),
  );
  if (isLink) {
    const body = { source: first, folder, as: 'link' };
    return {
      method: 'POST' as const,
      path: '/assets',
      body,
      client: `const asset = await uniferum.assets.fetch(${JSON.stringify(body, null, 2)});`,
      command,
    };
  }
  const body = { folder, addresses: addresses.length > 0 ? addresses : [first] };
  return {
    method: 'POST' as const,
    path: '/intake/addresses',
    body,
    client: `const { run } = await uniferum.intakes.addresses(${JSON.stringify(body, null, 2)});\nawait uniferum.runs.wait(run.id);`,
    command,
  };
}
