// Changes of a tree of conditions, each of which gives a new tree.
import type { Operator, Phrase, PhraseValue } from '../lib/api';

/** Where a condition stands: its place in each group, from the outside in. */
export type Place = number[];

export const isGroup = (p: Phrase) => p.kind === 'all' || p.kind === 'any' || p.kind === 'related';

export function at(tree: Phrase, place: Place): Phrase | undefined {
	return place.reduce<Phrase | undefined>((p, i) => p?.parts?.[i], tree);
}

/** The tree with the parts of the group at a place changed. */
function inGroup(tree: Phrase, place: Place, change: (parts: Phrase[]) => Phrase[]): Phrase {
	if (place.length === 0) return { ...tree, parts: change(tree.parts ?? []) };
	const [i, ...rest] = place;
	return { ...tree, parts: (tree.parts ?? []).map((p, n) => (n === i ? inGroup(p, rest, change) : p)) };
}

const holder = (place: Place) => place.slice(0, -1);
const last = (place: Place) => place.at(-1)!;

export const replace = (tree: Phrase, place: Place, by: Phrase) =>
	inGroup(tree, holder(place), (parts) => parts.map((p, i) => (i === last(place) ? by : p)));

/** Takes a condition away, and groups that have nothing left in them. */
export function remove(tree: Phrase, place: Place): Phrase {
	const left = inGroup(tree, holder(place), (parts) => parts.filter((_, i) => i !== last(place)));
	const group = holder(place);
	const emptied = group.length > 0 && at(left, group)!.kind !== 'related' && !at(left, group)!.parts?.length;
	return emptied ? remove(left, group) : left;
}

/** Puts a condition into the group at a place, before its n-th or at its end. */
export const insert = (tree: Phrase, group: Place, added: Phrase, n?: number) =>
	inGroup(tree, group, (parts) => [...parts.slice(0, n ?? parts.length), added, ...parts.slice(n ?? parts.length)]);

/** Moves a condition one further, up or down, in its group; past its end out of the group. */
export function step(tree: Phrase, place: Place, by: 1 | -1): { tree: Phrase; place: Place } {
	const moved = at(tree, place)!;
	const group = holder(place);
	const to = last(place) + by;
	if (to >= 0 && to < (at(tree, group)?.parts?.length ?? 0)) {
		const without = inGroup(tree, group, (parts) => parts.filter((_, i) => i !== last(place)));
		return { tree: insert(without, group, moved, to), place: [...group, to] };
	}
	if (group.length === 0) return { tree, place };
	return move(tree, place, holder(group), last(group) + (by > 0 ? 1 : 0));
}

/** Moves a condition into a group, before its n-th. Into itself it does not go. */
export function move(tree: Phrase, from: Place, group: Place, n: number): { tree: Phrase; place: Place } {
	if (from.every((step, i) => group[i] === step)) return { tree, place: from };
	const mark: Phrase = { kind: 'text', text: '' };
	const moved = at(tree, from)!;
	const marked = insert(replace(tree, from, mark), group, moved, n);
	const marks = find(marked, (p) => p === mark)!;
	const left = remove(marked, marks);
	return { tree: left, place: find(left, (p) => p === moved) ?? from };
}

/** Where a condition stands that is looked for. */
export function find(tree: Phrase, is: (p: Phrase) => boolean, place: Place = []): Place | undefined {
	if (is(tree)) return place;
	for (const [i, p] of (tree.parts ?? []).entries()) {
		const found = find(p, is, [...place, i]);
		if (found) return found;
	}
	return undefined;
}

/** Puts a condition and an alternative to it into a group of which any must hold. */
export function alternative(tree: Phrase, place: Place, added: Phrase): { tree: Phrase; place: Place } {
	const group = at(tree, holder(place))!;
	if (group.kind === 'any' && !group.not)
		return { tree: insert(tree, holder(place), added, last(place) + 1), place: [...holder(place), last(place) + 1] };
	const either: Phrase = { kind: 'any', parts: [at(tree, place)!, added] };
	return { tree: replace(tree, place, either), place: [...place, 1] };
}

/** Puts the conditions of a group in its place. */
export const ungroup = (tree: Phrase, place: Place) =>
	inGroup(tree, holder(place), (parts) => parts.flatMap((p, i) => (i === last(place) ? (p.parts ?? []) : [p])));

/** Whether a condition says all that it needs. */
export function isWhole(p: Phrase, operators: Operator[]): boolean {
	if (p.kind === 'text') return !!p.text?.trim();
	if (p.kind === 'first') return !!p.values?.[0]?.text && (p.comparison === 'first' || !!p.subject?.text);
	if (p.kind !== 'says') return true;
	const takes = operators.find((o) => o.comparison === p.comparison)?.takes;
	const needed = takes === 'none' ? 0 : takes === 'two' ? 2 : 1;
	const values = p.values ?? [];
	return values.length >= needed && values.every((v) => v.text !== '');
}

/** What a value is worth with another comparison: none is lost that it can hold. */
export function fitted(values: PhraseValue[], takes: Operator['takes']): PhraseValue[] {
	if (takes === 'none') return [];
	return takes === 'many' ? values : values.slice(0, takes === 'two' ? 2 : 1);
}

/**
 * A tree that was changed further while one before it was written: what it has in common
 * with that one stands in it as it was read back.
 */
export function rebased(tree: Phrase, sent: Phrase, written: Phrase): Phrase {
	const read = new Map<Phrase, Phrase>();
	const pair = (a: Phrase, b: Phrase) => {
		read.set(a, b);
		const [x, y] = [a.parts ?? [], b.parts ?? []];
		if (x.length === y.length) x.forEach((p, i) => pair(p, y[i]!));
	};
	pair(sent, written);
	const fresh = (p: Phrase): Phrase => {
		const same = read.get(p);
		if (same) return same;
		return p.parts ? { ...p, parts: p.parts.map(fresh) } : p;
	};
	return fresh(tree);
}
