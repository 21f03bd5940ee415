import { describe, expect, it } from 'vitest';
import type { Answer, OverviewPart, Question, ReportForm, RunRecord } from '../src/lib/api';
import { Form, limitsOf } from '../src/ask/form.svelte';
import {
	cellAddress,
	commandLine,
	fromQuery,
	partAddress,
	reportAddress,
	reportLink,
	sortOf,
	toQuery,
	type Answers,
} from '../src/lib/link';

const question = (name: string, kind: string, more: Partial<Question> = {}): Question => ({
	name,
	label: name,
	kind,
	limits: {},
	choices: {},
	...more,
});
const questions = [
	question('period', 'period', { required: true, default: ['last month'] }),
	question('locks', 'text', { many: true, default: ['Harrow Top'] }),
	question('note', 'text'),
	question('day', 'date', { shown: 'stated' }),
];
const nasty = ['a&b=c', '100 %', 'ä/ö?#', "it's", '"quoted"', 'two\nlines', '+1', ' ', '🚢', 'in-order-of'];

/** What a form with these questions and fields holds. */
function filled(query: string): Form {
	const form = new Form();
	form.report.value = { questions } as ReportForm;
	form.fill(query);
	return form;
}

describe('links', () => {
	it('bring answers back as they were typed', () => {
		for (const text of nasty)
			for (const period of [
				{ start: text, end: '', words: '' },
				{ start: '2026-03-01', end: text, words: '' },
				{ start: '', end: '', words: text },
			]) {
				const none = { start: '', end: '', words: '' };
				const answers: Answers = {
					periods: { period, locks: none, note: none, day: none },
					texts: { period: [], locks: [text, 'x'], note: [text], day: [] },
					nones: { period: false, locks: false, note: false, day: false },
				};
				const query = toQuery(questions, answers, [text, 'toll descending']);
				expect(fromQuery(questions, query)).toEqual(answers);
				expect(sortOf(query)).toEqual([text, 'toll descending']);
			}
	});

	it('tell an answer of nothing from none', () => {
		const form = filled('locks=');
		expect(form.inputs).toEqual({ locks: '' });
		expect(filled('').inputs).toEqual({});
		expect(fromQuery(questions, form.query([])).nones).toMatchObject({ locks: true });
	});

	it('of a run carry what its record has', () => {
		const run = { report: 'tolls & more', version: 0, sort: ['toll'] } as RunRecord;
		const link = reportLink(run, { period: { start: '2026-03-01' }, locks: ['a&b', 'c'], note: 'x', n: 5, left: null });
		expect(link).toBe(
			'/drafts/report/tolls%20%26%20more/try?in-order-of=toll&period.start=2026-03-01&locks=a%26b&locks=c&note=x&n=5',
		);
		expect(filled(link.split('?')[1]!).inputs).toEqual({
			period: { start: '2026-03-01', end: '' },
			locks: ['a&b', 'c'],
			note: ['x'],
		});
	});

	it('become commands that a shell takes apart again', () => {
		const command = commandLine(
			{ report: 'tolls', draft: true },
			{ note: "it's $HOME", period: { start: 'x', end: '' } },
		);
		expect(command).toBe(`pikegate run tolls --draft --set 'note=it'\\''s $HOME' --start x`);
	});
});

describe('the form', () => {
	it('answers what is typed, and nothing that is not asked', () => {
		const form = filled('period=2026-03&note=x&day=2026-01-01');
		expect(form.inputs).toEqual({ period: '2026-03', note: ['x'] });
		form.take({ period: 'last week', note: 'y', nobody: 'z' });
		expect(form.inputs).toEqual({ period: 'last week', note: ['y'] });
	});

	it('answers a cleared field by nothing', () => {
		const form = filled('locks=a');
		form.noteCleared();
		form.texts.locks = [];
		form.noteCleared();
		expect(form.inputs).toEqual({ locks: '' });
		form.texts.locks = ['b'];
		form.noteCleared();
		expect(form.inputs).toEqual({ locks: ['b'] });
	});

	it('tells what is missing once a run was tried', () => {
		const form = filled('');
		form.read.value = {
			problems: [
				{ code: 'missing', field: 'period', message: 'An answer is needed.' },
				{ code: 'too_long', field: 'note', message: 'Too long.' },
				{ code: 'rule_broken', field: 'elsewhere', message: 'No.' },
			],
		} as never;
		expect(form.problems.map((p) => p.code)).toEqual(['too_long', 'rule_broken']);
		form.tried = true;
		expect(form.problemsOf(questions[0]!).map((p) => p.code)).toEqual(['missing']);
		expect(form.elsewhere.map((p) => p.code)).toEqual(['rule_broken']);
		form.refuse([]);
		expect(form.problems).toEqual([]);
	});

	it('says what an answer must keep to, and what none means', () => {
		expect(limitsOf(question('n', 'integer', { limits: { least: '1', most: '5' } }))).toBe('1 or more, 5 or less.');
		expect(limitsOf(question('n', 'text', { limits: { longest: '80' } }))).toBe('At most 80 characters.');
		const form = filled('');
		expect(form.standing(questions[1]!)).toBe('Harrow Top, if left blank');
		form.nones.locks = true;
		expect(form.standing(questions[1]!)).toBe('any, if left blank');
		expect(form.slotOf(questions[2]!)).toEqual({ value: 'any note', note: '', any: true });
	});
});

describe('addresses', () => {
	const reads = (address: string) => {
		const [path, query = ''] = address.split('?');
		return { path, query: Object.fromEntries([...new URLSearchParams(query)].map(([k, v]) => [k, v])) };
	};

	it('of reports, overviews and their drafts', () => {
		const to = (draft: boolean, overview?: boolean) => reportAddress({ report: 'a b/ö', draft, overview });
		expect(to(false)).toBe('/reports/a%20b%2F%C3%B6');
		expect(to(true)).toBe('/drafts/report/a%20b%2F%C3%B6/try');
		expect(to(false, true)).toBe('/overviews/a%20b%2F%C3%B6');
		expect(to(true, true)).toBe('/drafts/overview/a%20b%2F%C3%B6/try');
	});

	it('of a part have what the page was answered with, its defaults and what it leaves open', () => {
		const part = {
			report: 'tolls',
			title: 'Tolls',
			show: 'number',
			width: 'third',
			takes: { days: 'period', locks: 'locks', note: 'note' },
			fixed: { owner: '', least: '5' },
		} as OverviewPart;
		const answers = [
			{ name: 'period', given: true, default: true, canonical: ['2025-12'] },
			{ name: 'locks', given: true, canonical: ['Harrow Top', 'Mossgill'] },
			{ name: 'note', given: false, canonical: null },
		] as unknown as Answer[];
		expect(partAddress(part, { locks: ['Harrow Top', 'Mossgill'] }, answers)).toBe(
			'/reports/tolls?owner=&least=5&days=2025-12&locks=Harrow+Top&locks=Mossgill&note=',
		);
		for (const text of nasty) expect(reads(partAddress(part, { note: text }, answers)).query.note, text).toBe(text);
		expect(reads(partAddress(part, { period: { start: '2025-03-01', end: '2025-03-31' } }, [])).query).toMatchObject({
			'days.start': '2025-03-01',
			'days.end': '2025-03-31',
		});
	});

	it('of cells have the values of their record, days of date-times, and nothing for what is blank', () => {
		const columns = [{ name: 'lock' }, { name: 'at' }, { name: 'open' }, { name: 'n' }];
		const link = {
			report: 'by date',
			set: {
				locks: { column: 'lock' },
				period: { column: 'at' },
				open: { column: 'open' },
				n: { column: 'n' },
				region: { texts: ['a', 'b'] },
				gone: { column: 'gone' },
			},
		};
		expect(cellAddress(link, ['Harrow Top', '2025-03-09T08:30:15+00:00', true, 0], columns)).toBe(
			'#/reports/by%20date?locks=Harrow+Top&period=2025-03-09&open=yes&n=0&region=a&region=b',
		);
		expect(cellAddress(link, [null, null, false, null], columns)).toBe('#/reports/by%20date?open=no&region=a&region=b');
		expect(cellAddress({ report: 'r' }, [], columns)).toBe('#/reports/r');
	});
});
