import { Code } from 'lucide-react';
import { Tabs } from 'radix-ui';
import { Button } from './button.js';
import { commandLine } from './command-line.js';
import { CopyButton } from './copy-button.js';
import { Popup } from './popup.js';
import { ScrollRegion } from './scroll-region.js';

/** An action as a request, as a call of the JavaScript client, and as a command line. */
export interface ActionCode {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  path: string;
  body?: unknown;
  client: string;
  /** The command line; absent where `uniferum call` is used. */
  command?: string;
}

/** Shows the adjacent action as code. */
export function AsCode({ code }: { code: ActionCode }) {
  return (
    <Popup
      name="The action as code"
      className="w-[34rem] max-w-[calc(100vw-2rem)]"
      button={
        <Button look="quiet" className="text-soft">
          <Code className="size-3.5" /> View as code
        </Button>
      }
    >
      <Tabs.Root defaultValue="client">
        <Tabs.List aria-label="Forms of this action" className="flex border-b border-rule px-2">
          <Tab value="client">JavaScript client</Tab>
          <Tab value="request">HTTP request</Tab>
          <Tab value="command">Command line</Tab>
        </Tabs.List>
        <Listing value="client" text={asClient(code)} />
        <Listing value="request" text={asRequest(code)} />
        <Listing value="command" text={asCommand(code)} />
      </Tabs.Root>
    </Popup>
  );
}

function Tab({ value, children }: { value: string; children: string }) {
  return (
    <Tabs.Trigger
      value={value}
      className="border-b-2 border-transparent px-3 py-2 text-sm text-soft data-[state=active]:border-oxide data-[state=active]:text-ink"
    >
      {children}
    </Tabs.Trigger>
  );
}

function Listing({ value, text }: { value: string; text: string }) {
  return (
    <Tabs.Content value={value} className="relative">
      <ScrollRegion label="Code" className="max-h-80 p-3 pr-10">
        <pre className="font-mono text-xs leading-5 wrap-anywhere whitespace-pre-wrap">{text}</pre>
      </ScrollRegion>
      <div className="absolute top-2 right-2">
        <CopyButton text={text} name="Copy this code" />
      </div>
    </Tabs.Content>
  );
}

function asRequest({ method, path, body }: ActionCode): string {
  const head = `${method} /api/v1${path}\nHost: ${window.location.host}\nAuthorization: Bearer YOUR_KEY`;
  if (body === undefined) return head;
  if (typeof body === 'string') return `${head}\n${body}`;
  return `${head}\nContent-Type: application/json\n\n${JSON.stringify(body, null, 2)}`;
}

function asClient({ client }: ActionCode): string {
  return `import { createClient } from '@uniferum/client';\n\nconst uniferum = createClient({\n  baseUrl: '${window.location.origin}',\n  key: process.env.UNIFERUM_KEY,\n});\n${client}`;
}

function asCommand({ method, path, body, command }: ActionCode): string {
  if (command !== undefined) return command;
  return commandLine('call', method, path, ...(body === undefined ? [] : ['--body', JSON.stringify(body)]));
}
