import { useQuery } from '@tanstack/react-query';
import type { Flow, FlowSource } from '@uniferum/core/flow';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { type ReactNode, useRef } from 'react';
import { Link } from 'react-router';
import { uniferum } from '../client.js';
import { Page } from '../console/page.js';
import { classNames } from '../ui/class-names.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { useElementSize } from '../ui/use-element-size.js';
import { type Box, drawnRecipes, REST, type Stream } from './drawn.js';
import { FirstSteps } from './first-steps.js';
import { layOutFlow, shownStates } from './layout.js';

/** Home: where files come from and go to, with accurate counts at each joint. */
export function FlowPage() {
  const { data: flow, error } = useQuery({
    queryKey: ['flow'],
    queryFn: () => uniferum.flow(),
    refetchInterval: 10_000,
  });
  const isEmpty = flow?.library.items === 0 && flow.verdicts.refused === 0;
  return (
    <Page
      title="Flow"
      note={
        flow && !isEmpty && `${formatCount(flow.library.items, 'asset')}, ${formatBytes(flow.library.bytes)}`
      }
    >
      {error && <ErrorNotice error={error} />}
      {isEmpty && <NothingFlows />}
      {flow && <FirstSteps flow={flow} />}
      <div className="min-h-0 flex-1 overflow-auto border-t border-rule px-6">
        {flow && <FlowMap flow={flow} />}
      </div>
    </Page>
  );
}

function NothingFlows() {
  return (
    <div className="px-6 pb-2">
      <EmptyPlace title="No files yet" action={<TextLink to="/intake">Import the first files</TextLink>}>
        This map shows how files move: from their sources through the rules into the library, and by recipes
        into stores and onto pages.
      </EmptyPlace>
    </div>
  );
}

const HEADINGS = ['Sources', 'Intake and rules', 'Library', 'Recipes', 'Stores', 'Pages'];
const LEAST = { width: 1080, height: 540 };

function FlowMap({ flow }: { flow: Flow }) {
  const frame = useRef<HTMLDivElement>(null);
  const measured = useElementSize(frame);
  const size = {
    width: Math.max(measured.width, LEAST.width),
    height: Math.max(measured.height - 44, LEAST.height),
  };
  const { boxes, streams } = layOutFlow(flow, size);
  return (
    <div ref={frame} className="h-full">
      {measured.width > 0 && (
        <>
          <ol className="relative h-8" style={{ width: size.width }} aria-hidden="true">
            {HEADINGS.map((heading, index) => (
              <li key={heading} className="eyebrow absolute top-3" style={{ left: columnLeft(boxes, index) }}>
                {heading}
              </li>
            ))}
          </ol>
          <div className="relative" style={size}>
            <Streams streams={streams} size={size} />
            <Joints flow={flow} boxes={boxes} />
          </div>
        </>
      )}
    </div>
  );
}

function columnLeft(boxes: ReadonlyMap<string, Box>, index: number): number {
  const lefts = [...new Set([...boxes.values()].map(({ x }) => x))].sort((a, b) => a - b);
  return lefts[index] ?? 0;
}

const TONES: Record<Stream['tone'], string> = {
  steel: 'stroke-rule-strong',
  fault: 'stroke-fault',
  oxide: 'stroke-oxide',
};

function Streams({ streams, size }: { streams: readonly Stream[]; size: { width: number; height: number } }) {
  return (
    <svg width={size.width} height={size.height} className="absolute inset-0" fill="none" aria-hidden="true">
      {streams.map(({ id, path, breadth, tone }) => (
        <path key={id} d={path} className={classNames(TONES[tone], 'opacity-30')} strokeWidth={breadth} />
      ))}
      {streams.map(({ id, path, tone, isFlowing, breadth }) => (
        <path
          key={id}
          d={path}
          className={classNames(TONES[tone], isFlowing && 'flowing')}
          strokeWidth={isFlowing ? 2.5 : 1}
          strokeDasharray={breadth <= 1 ? '2 5' : undefined}
        />
      ))}
    </svg>
  );
}

const SOURCES: Record<FlowSource, { title: string; to: string }> = {
  console: { title: 'The console', to: '/intake' },
  script: { title: 'Scripts', to: '/automate' },
  archive: { title: 'Archives', to: '/intake' },
  inbox: { title: 'Inbox', to: '/intake?way=inbox' },
  address: { title: 'Addresses', to: '/intake?way=addresses' },
  manifest: { title: 'Manifests', to: '/intake?way=manifest' },
  link: { title: 'Links', to: '/intake?way=addresses' },
};

interface JointsProps {
  flow: Flow;
  boxes: ReadonlyMap<string, Box>;
}

function Joints({ flow, boxes }: JointsProps) {
  return (
    <>
      {flow.sources.map(({ from, amount }) => (
        <Joint key={from} box={boxes.get(`source:${from}`)} to={SOURCES[from].to} title={SOURCES[from].title}>
          <Amount items={amount.items} bytes={amount.bytes} one="file" />
        </Joint>
      ))}
      <IntakeJoints flow={flow} boxes={boxes} />
      <LibraryJoint flow={flow} boxes={boxes} />
      <RecipeJoints flow={flow} boxes={boxes} />
      {flow.stores.map(({ store, amount }) => (
        <Joint
          key={store}
          box={boxes.get(`store:${store}`)}
          to="/library"
          title={store === 'server' ? "The server's disk" : store}
        >
          <Amount items={amount.items} bytes={amount.bytes} one="blob" />
        </Joint>
      ))}
      {flow.copies.map(({ store, amount, waiting, damaged }) => (
        <Joint key={store} box={boxes.get(`copies:${store}`)} to="/connections/stores" title={store}>
          <Figure value={amount.items} word={amount.items === 1 ? 'copy' : 'copies'} />
          <span className="figure text-soft">{formatBytes(amount.bytes)}</span>
          {waiting > 0 && <StateMark state="waiting" count={waiting} />}
          {damaged > 0 && <StateMark state="damaged" count={damaged} />}
        </Joint>
      ))}
      <PagesJoint flow={flow} boxes={boxes} />
    </>
  );
}

function PagesJoint({ flow: { pages }, boxes }: JointsProps) {
  const { documents, references, broken } = pages;
  return (
    <Joint
      box={boxes.get('pages')}
      to={broken > 0 ? '/pages/broken' : '/pages'}
      title="Pages"
      isQuiet={documents === 0}
    >
      {documents === 0 ? (
        <p className="text-xs text-soft">Sites read addresses from the API. No page source is indexed yet.</p>
      ) : (
        <>
          <Figure value={documents} word={documents === 1 ? 'document' : 'documents'} />
          <p className="text-sm text-soft">{formatCount(references, 'reference')}</p>
          {broken > 0 && <StateMark state="broken" count={broken} />}
        </>
      )}
    </Joint>
  );
}

function IntakeJoints({ flow: { verdicts, ruledFolders, folders }, boxes }: JointsProps) {
  return (
    <>
      <Joint box={boxes.get('intake')} to="/intake" title="Checked by rules">
        <Figure value={verdicts.accepted + verdicts.warned + verdicts.refused} word="checked" />
        <StateMark state="accepted" count={verdicts.accepted} />
        <StateMark state="warned" count={verdicts.warned} />
        <p className="mt-1 text-xs text-soft">
          Rules in {formatNumber(ruledFolders)} of {formatCount(folders, 'folder')}
        </p>
      </Joint>
      {verdicts.refused > 0 && (
        <Joint box={boxes.get('refused')} to="/intake" title="Refused">
          <StateMark state="refused" count={verdicts.refused} />
        </Joint>
      )}
    </>
  );
}

function LibraryJoint({ flow: { library, kinds, verdicts }, boxes }: JointsProps) {
  const gone = verdicts.accepted + verdicts.warned - library.items;
  return (
    <Joint box={boxes.get('library')} to="/library" title="Library">
      <Amount items={library.items} bytes={library.bytes} one="asset" />
      <ul className="mt-2 flex flex-col">
        {kinds.map(({ kind, amount }) => (
          <li key={kind} className="flex justify-between text-sm">
            <span className="text-soft">{kind}</span>
            <span className="figure">{formatNumber(amount.items)}</span>
          </li>
        ))}
      </ul>
      {gone > 0 && <p className="text-xs leading-5 text-soft">{formatNumber(gone)} in the bin or deleted</p>}
    </Joint>
  );
}

function RecipeJoints({ flow, boxes }: JointsProps) {
  if (flow.recipes.length === 0)
    return (
      <Joint box={boxes.get('recipes')} to="/recipes" title="No recipe yet" isQuiet>
        <p className="text-xs text-soft">Create one to get renditions.</p>
      </Joint>
    );
  return drawnRecipes(flow.recipes).map((recipe) => {
    const { name, title, states, bytes } = recipe;
    return (
      <Joint
        key={name}
        box={boxes.get(`recipe:${name}`)}
        to={name === REST ? '/recipes' : `/recipes/${name}`}
        title={name === REST ? title : name}
        note={formatBytes(bytes)}
      >
        <span className="flex flex-wrap gap-x-3">
          {shownStates(recipe).map((state, index) => (
            <StateMark key={state} state={state} count={states[state]} isWordHidden={index > 0} />
          ))}
        </span>
      </Joint>
    );
  });
}

interface JointProps {
  box: Box | undefined;
  to: string;
  title: string;
  note?: string;
  isQuiet?: boolean;
  children: ReactNode;
}

/** One joint of the map; a click goes there. */
function Joint({ box, to, title, note, isQuiet = false, children }: JointProps) {
  if (!box) return null;
  return (
    <Link
      to={to}
      className={classNames(
        'absolute flex flex-col overflow-hidden border-t-2 bg-surface px-3 py-1.5 hover:bg-raised',
        isQuiet ? 'border-rule-strong' : 'border-ink hover:border-oxide',
      )}
      style={{ left: box.x, top: box.y, width: box.width, height: box.height }}
    >
      <span className="flex shrink-0 flex-wrap items-baseline gap-x-3">
        <span className="line-clamp-2 text-sm font-semibold wrap-anywhere" title={title}>
          {title}
        </span>
        {note && <span className="figure ml-auto leading-5 text-soft">{note}</span>}
      </span>
      {children}
    </Link>
  );
}

function Amount({ items, bytes, one }: { items: number; bytes: number; one: string }) {
  return (
    <>
      <Figure value={items} word={items === 1 ? one : `${one}s`} />
      <span className="figure text-soft">{formatBytes(bytes)}</span>
    </>
  );
}

function Figure({ value, word }: { value: number; word: string }) {
  return (
    <span className="flex items-baseline gap-1.5">
      <span className="text-xl font-semibold">{formatNumber(value)}</span>{' '}
      <span className="text-sm text-soft">{word}</span>
    </span>
  );
}
