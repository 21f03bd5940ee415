import { describe, expect, test } from 'vitest';
import * as change from '../src/build/tree';
import type { Operator, Phrase } from '../src/lib/api';

const says = (text: string): Phrase => ({ kind: 'says', subject: { text }, comparison: '=', values: [] });
const group = (kind: 'all' | 'any', ...parts: Phrase[]): Phrase => ({ kind, parts });
const [a, b, c, d] = [says('a'), says('b'), says('c'), says('d')];
const tree = group('all', a, group('any', b, c), d);

/** A tree in a line. */
function said(p: Phrase): string {
	return p.kind === 'says' ? p.subject!.text : `${p.kind}(${(p.parts ?? []).map(said).join(' ')})`;
}

describe('a tree of conditions', () => {
	test('is changed at a place, and is itself left as it was', () => {
		expect(said(change.replace(tree, [1, 0], d))).toBe('all(a any(d c) d)');
		expect(said(change.insert(tree, [1], d, 1))).toBe('all(a any(b d c) d)');
		expect(said(change.insert(tree, [], b))).toBe('all(a any(b c) d b)');
		expect(said(tree)).toBe('all(a any(b c) d)');
		expect(change.at(tree, [1, 1])).toBe(c);
		expect(change.at(tree, [0, 1])).toBeUndefined();
	});

	test('loses a group with its last condition', () => {
		const one = change.remove(tree, [1, 0]);
		expect(said(one)).toBe('all(a any(c) d)');
		expect(said(change.remove(one, [1, 0]))).toBe('all(a d)');
		const related: Phrase = group('all', { kind: 'related', text: 'any jobs', parts: [a] });
		expect(change.remove(related, [0, 0]).parts![0]!.text).toBe('any jobs');
	});

	test('is moved step by step, out of a group past its end', () => {
		const down = change.step(tree, [1, 1], 1);
		expect(said(down.tree)).toBe('all(a any(b) c d)');
		expect(down.place).toEqual([2]);
		const up = change.step(tree, [1, 0], -1);
		expect(said(up.tree)).toBe('all(a b any(c) d)');
		expect(up.place).toEqual([1]);
		expect(said(change.step(tree, [0], 1).tree)).toBe('all(any(b c) a d)');
		expect(change.step(tree, [0], -1).tree).toBe(tree);
	});

	test('is dragged anywhere but into itself', () => {
		expect(said(change.move(tree, [2], [1], 1).tree)).toBe('all(a any(b d c))');
		expect(said(change.move(tree, [0], [], 3).tree)).toBe('all(any(b c) d a)');
		expect(said(change.move(tree, [1, 0], [], 0).tree)).toBe('all(b a any(c) d)');
		expect(change.move(tree, [1], [1], 0).tree).toBe(tree);
	});

	test('gets alternatives, and groups are taken apart', () => {
		const either = change.alternative(tree, [0], b);
		expect(said(either.tree)).toBe('all(any(a b) any(b c) d)');
		expect(either.place).toEqual([0, 1]);
		const third = change.alternative(tree, [1, 0], d);
		expect(said(third.tree)).toBe('all(a any(b d c) d)');
		expect(said(change.ungroup(tree, [1]))).toBe('all(a b c d)');
	});

	test('is whole when each condition has what it needs', () => {
		const operators = [
			{ comparison: '=', takes: 'one' },
			{ comparison: 'between', takes: 'two' },
			{ comparison: 'is blank', takes: 'none' },
		] as Operator[];
		const value = (...texts: string[]) => texts.map((text) => ({ from: 'fixed' as const, text }));
		expect(change.isWhole(a, operators)).toBe(false);
		expect(change.isWhole({ ...a, values: value('1') }, operators)).toBe(true);
		expect(change.isWhole({ ...a, values: value('') }, operators)).toBe(false);
		expect(change.isWhole({ ...a, comparison: 'between', values: value('1') }, operators)).toBe(false);
		expect(change.isWhole({ ...a, comparison: 'is blank' }, operators)).toBe(true);
		expect(change.isWhole({ kind: 'text', text: ' ' }, operators)).toBe(false);
		expect(change.fitted(value('1', '2', '3'), 'two')).toHaveLength(2);
		expect(change.fitted(value('1', '2'), 'none')).toHaveLength(0);
		expect(change.fitted(value('1', '2'), 'many')).toHaveLength(2);
	});
});

test('a tree that was changed while it was written keeps both', () => {
	const sent = group('all', a, says('x'));
	const written = group('all', { ...a, id: '0' }, { ...says('x'), id: '1' });
	const now = change.insert(sent, [], b);
	const made = change.rebased(now, sent, written);
	expect(said(made)).toBe('all(a x b)');
	expect(made.parts!.map((p) => p.id)).toEqual(['0', '1', undefined]);
	expect(change.rebased(sent, sent, written)).toBe(written);
});
