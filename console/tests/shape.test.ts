import { describe, expect, it } from 'vitest';
import { read } from '../src/draft/definition';
import { putTogether, Shape, takeApart, wordsOf } from '../src/build/shape';
import type { Work } from '../src/build/work.svelte';

const order = ['kind', 'name', 'query', 'columns', 'sort', 'groups', 'totals', 'chart'];

/** A page's documents, without the service. */
function shapeOf(query: string, report: string) {
	const texts = { query, report };
	const work = {
		get reading() {
			return read(texts.query);
		},
		get reportReading() {
			return read(texts.report);
		},
		edit(kind: 'query' | 'report', change: (text: string) => string) {
			texts[kind] = change(texts[kind]);
		},
	} as Work;
	return { texts, shape: new Shape(work, () => ({ query: order, report: order })) };
}

const query = `kind: query
name: jobs
columns:
  - id # the number
  - {name: done, value: done_on, label: Done on}
  - {name: "odd, name", value: pence}
sort:
  - done descending blanks first
`;
const report = `kind: report
name: jobs
query: jobs
`;

describe('what is made of columns', () => {
	it('is taken apart and put together again', () => {
		for (const text of ['count', 'sum of toll', 'month of passed_at', 'count distinct of "odd, name"', 'lock'])
			expect(putTogether(takeApart(text))).toBe(text);
		expect(takeApart('average of "a ""b"""')).toEqual({ by: 'average', of: 'a "b"' });
	});
	it('reads as people say it', () => {
		const { shape } = shapeOf(query, report);
		expect(wordsOf('count', shape.columns)).toBe('the number of records');
		expect(wordsOf('month of done', shape.columns)).toBe('month of done on');
		expect(wordsOf('count distinct of "odd, name"', shape.columns)).toBe('distinct values of odd, name');
		expect(wordsOf('date_of(done)', shape.columns)).toBe('date_of(done)');
	});
});

describe('the shape of a report', () => {
	it('groups, totals and draws', () => {
		const { texts, shape } = shapeOf(query, report);
		shape.addGroup('month of done');
		shape.setGroup(0, { by: 'month of done', totals: ['count'] });
		shape.total('sum of "odd, name"', true);
		shape.draw({ kind: 'bars', x: 'month of done', y: 'count', split: '' });
		expect(texts.report).toBe(
			report +
				'groups:\n  - {by: month of done, totals: [count]}\ntotals:\n  - sum of "odd, name"\nchart:\n  kind: bars\n  x: month of done\n  y: count\n',
		);
		shape.draw({ ...shape.drawing!, kind: 'lines', split: 'id' });
		expect(shape.drawing).toEqual({
			kind: 'lines',
			x: 'month of done',
			y: 'count',
			split: 'id',
			panels: '',
			beside: false,
		});
		shape.setGroup(0, { by: 'id', totals: [] });
		expect(shape.groups).toEqual([{ by: 'id', totals: [] }]);
		shape.setGroup(0, { by: 'id', totals: ['count'], shown: ['head', 'page'] });
		expect(texts.report).toContain('- {by: id, head: true, page: true, totals: [count]}');
		shape.setGroup(0, { by: 'id', totals: [] });
		expect(shape.groups[0]!.shown).toEqual(['head', 'page']); // what is not said stays
		shape.cross({ by: 'month of done', of: [] });
		expect(shape.crossing).toEqual({ by: 'month of done', of: [] });
		shape.cross({ by: 'month of done', of: ['count'] });
		expect(texts.report).toMatch(
			/across:\n {2}by: month of done\n {2}of: \[count\]|across: \{by: month of done, of: \[count\]\}/,
		);
		shape.cross(undefined);
		shape.draw({ ...shape.drawing!, panels: 'id', beside: true });
		expect(shape.drawing).toMatchObject({ panels: 'id', beside: true });
		shape.draw({ ...shape.drawing!, panels: '', beside: false });
		expect(texts.report).not.toContain('beside');
		shape.dropGroup(0);
		shape.total('sum of "odd, name"', false);
		shape.draw(undefined);
		expect(texts.report).toBe(report);
	});
	it('hides, shows and moves columns', () => {
		const { texts, shape } = shapeOf(query, report);
		shape.show('done', false);
		expect(shape.shown).toEqual(['id', 'odd, name']);
		shape.moveColumn(0, 2);
		expect(shape.shown).toEqual(['odd, name', 'id']);
		expect(texts.query).toContain('  - {name: "odd, name", value: pence}\n  - id # the number\n');
		shape.show('done', true);
		expect(texts.report).toBe(report);
	});
	it('sorts, turns and takes a key out', () => {
		const { texts, shape } = shapeOf(query, report);
		shape.sortBy('done', 'ascending');
		shape.sortBy('id', 'descending');
		expect(texts.query).toContain('sort:\n  - done ascending blanks first\n  - id descending\n');
		shape.sortBy('done', '');
		expect(shape.sorts).toEqual([{ by: 'id', descending: true, rest: '' }]);
	});
	it('removes a column with all that was made of it', () => {
		const { texts, shape } = shapeOf(query, report);
		shape.addGroup('month of done');
		shape.addGroup('id');
		shape.setGroup(1, { by: 'id', totals: ['least of done', 'count'] });
		shape.total('greatest of done', true);
		shape.draw({ kind: 'bars', x: 'id', y: 'count', split: 'done' });
		shape.dropColumn(1);
		expect(shape.columns.map((c) => c.name)).toEqual(['id', 'odd, name']);
		expect(shape.groups).toEqual([{ by: 'id', totals: ['count'] }]);
		expect(texts.report).not.toContain('done');
		expect(texts.query).not.toContain('done');
	});
	it('describes a column that was its name alone', () => {
		const { texts, shape } = shapeOf(query, report);
		shape.describe(0, 'format', 'money');
		shape.describe(1, 'label', '');
		expect(texts.query).toContain('  - {name: id, value: id, format: money} # the number\n');
		expect(shape.columns[1]!.label).toBe('Done');
	});
});
