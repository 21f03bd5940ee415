import { describe, expect, it } from 'vitest';
import { factsOf, uncountedText } from '../src/result/facts';

const place = { zone: 'Europe/London' };
const marks = (found: Parameters<typeof factsOf>[0]) => factsOf(found, place).map((f) => `${f.label}: ${f.value}`);

describe('facts of a run', () => {
	it('tells the year where it is not the same in all of them', () => {
		const found = { count: 2, first: '2025-03-31', last: '2025-03-31' };
		expect(marks({ ...found, edges: { before: '2025-03-30' } })[1]).not.toContain('2025');
		expect(marks({ ...found, edges: { before: '2024-12-30' } })[1]).toContain('2025');
	});

	it('says what was left out, and where that was not counted', () => {
		const columns = ['a.b', 'a.c'];
		const some = { count: 1, left_out: { records: 3, at_least: true, columns } };
		expect(marks(some)).toContain('Left out: at least 3');
		expect(uncountedText(some)).toBe('');
		const unknown = { count: 1, left_out: { records: 0, at_least: true, columns } };
		expect(marks(unknown)).toEqual(['Records: 1']);
		expect(uncountedText(unknown)).toBe('records without a valid date in a.b, a.c not counted');
		expect(uncountedText({ count: 1 })).toBe('');
	});
});
