// How a draft stands: kept or not, published or not.
import { Refusal, type DefinitionInfo } from '../lib/api';

/** It in words; saved is what was saved last, undefined for what never was. */
export function standingOf(changed: boolean, saved: string | undefined, info: DefinitionInfo | undefined): string {
	if (changed) return saved === undefined ? 'not saved yet' : 'changed, not saved';
	if (!info || info.version === 0) return 'saved, never published';
	return info.draft ? `saved; version ${info.version} is published` : `published as version ${info.version}`;
}

/** How a draft is saved that somebody else has changed meanwhile: with their change, or in its place. */
export type How = '' | 'merge' | 'over';

/** A revision that somebody else made since: of what, and whether both changes can be kept. */
export type Newer = { field: string; revision: number; mergeable: boolean };

/** Those that a refusal tells. */
export function newerIn(e: unknown): Newer[] {
	return (e instanceof Refusal ? e.problems : [])
		.filter((p) => p.code === 'draft_changed' || p.code === 'both_changed')
		.map((p) => ({
			field: p.field ?? '',
			revision: Number(/revision (\d+)/.exec(p.message)?.[1]),
			mergeable: p.code === 'draft_changed',
		}));
}
