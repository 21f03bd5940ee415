// How a draft stands: kept or not, published or not.
import { Refusal, type DefinitionInfo } from '../lib/api';

/** It in words; saved is what was saved last, undefined for what never was. */
export function standingOf(changed: boolean, saved: string | undefined, info: DefinitionInfo | undefined): string {
	if (changed) return saved === undefined ? 'not saved yet' : 'changed, not saved';
	if (!info || info.version === 0) return 'saved, never published';
	return info.draft ? `saved; version ${info.version} is published` : `published as version ${info.version}`;
}

/** The revisions that somebody else made since, by what a refusal says of which definition. */
export function newerIn(e: unknown): { field: string; revision: number }[] {
	const problems = e instanceof Refusal ? e.problems.filter((p) => p.code === 'draft_changed') : [];
	return problems.map((p) => ({ field: p.field ?? '', revision: Number(/revision (\d+)/.exec(p.message)?.[1]) }));
}
