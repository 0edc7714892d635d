import type { StoreAnswer } from '@uniferum/core/copies';
import { readCounters } from '../shared/counters.js';
import { isoTimeOrNull } from '../shared/database.js';
import type { Services } from '../shared/services.js';
import { copiesScope } from './copy-queries.js';
import { findHomeAudited } from './cursor-queries.js';
import { describeStores, type StoreFacts } from './store-facts.js';

type Counted = Pick<StoreAnswer, 'copies' | 'bytes' | 'waiting' | 'damaged'>;

/** All stores with their counts: the home store, then the others by name. */
export async function storeAnswers({
  db,
  store,
  config,
}: Pick<Services, 'db' | 'store' | 'config'>): Promise<StoreAnswer[]> {
  const counters = await readCounters(db);
  const amount = (scope: string, name: string) =>
    counters.find((one) => one.scope === scope && one.name === name) ?? { items: 0, bytes: 0 };
  const kept = amount('store', store.name);
  const home: StoreAnswer = {
    ...{ id: 'home', name: store.name, kind: config.home ? 'bucket' : 'disk', connection: null },
    bucket: config.home?.settings.bucket ?? null,
    region: config.home?.settings.region ?? null,
    prefix: config.home?.settings.prefix ?? null,
    ...{ publicUrl: null, isHome: true, copies: kept.items, bytes: kept.bytes, waiting: 0, damaged: 0 },
    auditDays: config.homeAuditDays,
    auditedAt: isoTimeOrNull(await findHomeAudited(db)),
  };
  const placed = [...(await describeStores(db)).values()].map((facts) => {
    const of = (state: string) => amount(copiesScope(facts.store.id), state);
    return toAnswer(facts, {
      copies: of('stored').items,
      bytes: of('stored').bytes,
      waiting: of('wanted').items + of('uploading').items + of('removing').items,
      damaged: of('damaged').items,
    });
  });
  return [home, ...placed];
}

function toAnswer({ store, connection, settings, publicUrl }: StoreFacts, counted: Counted): StoreAnswer {
  const { bucket, region, prefix } = settings;
  return {
    ...{ id: String(store.id), name: store.name, kind: 'bucket', connection, bucket, region, prefix },
    ...{ publicUrl, isHome: false, ...counted },
    auditDays: store.auditDays,
    auditedAt: isoTimeOrNull(store.auditedAt),
  };
}
