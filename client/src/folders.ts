import type { Folder, FolderAccessAnswer, FolderAccessChange } from '@uniferum/core/library';
import type { FolderRules, RulesAnswer } from '@uniferum/core/rules';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';
import type { RulesPlan } from './types.js';

/** Folders, their rules and what they publish. */
export function folderCalls(http: Http, list: ListCall) {
  return {
    list: (query: Paging & { within?: string } = {}, call: CallOptions = {}) =>
      list<Folder>('/folders', query, call),
    get: (id: string, call: CallOptions = {}) => http.json<Folder>(`/folders/${id}`, call),
    make: (path: string, call: CallOptions = {}) =>
      http.json<Folder>('/folders', { ...call, method: 'POST', json: { path } }),
    change: (
      id: string,
      patch: { name?: string; parent?: string; colour?: string | null },
      call: CallOptions = {},
    ) => http.json<Folder>(`/folders/${id}`, { ...call, method: 'PATCH', json: patch }),
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/folders/${id}`, { ...call, method: 'DELETE' }),
    rules: (id: string, call: CallOptions = {}) => http.json<RulesAnswer>(`/folders/${id}/rules`, call),
    /** The rules with their entity tag, to edit them with `ifMatch`. */
    rulesTagged: (id: string, call: CallOptions = {}) =>
      http.tagged<RulesAnswer>(`/folders/${id}/rules`, call),
    /** Replaces the folder's own rules; absent fields are not set. */
    putRules: (id: string, rules: Partial<FolderRules>, call: CallOptions = {}) =>
      http.json<RulesAnswer>(`/folders/${id}/rules`, { ...call, method: 'PUT', json: rules }),
    /** The folder's own and effective access settings. */
    access: (id: string, call: CallOptions = {}) =>
      http.json<FolderAccessAnswer>(`/folders/${id}/access`, call),
    /** Sets which metadata the folder's public originals keep; null inherits. */
    putAccess: (id: string, access: FolderAccessChange, call: CallOptions = {}) =>
      http.json<FolderAccessAnswer>(`/folders/${id}/access`, { ...call, method: 'PUT', json: access }),
    /** Counts the existing files that would violate new rules; changes nothing. */
    rehearseRules: (id: string, rules: Partial<FolderRules>, call: CallOptions = {}) =>
      http.json<{ plan: RulesPlan }>(`/folders/${id}/rules`, {
        ...call,
        method: 'PUT',
        json: rules,
        query: { rehearse: true },
      }),
  };
}
