// What the page makes of records: cells in the reader's language, a selection
// as tab-separated text, columns in an order of one's own, pages of paper,
// and the same run as a command.
import { describe, expect, it } from 'vitest';
import type { Question } from '../src/lib/api';
import { commandLine, fromQuery, httpRequest, reportLink, toQuery } from '../src/lib/link';
import { ordered } from '../src/result/layout';
import { bounds, holds, step, tabSeparated } from '../src/result/selection';
import { cellText, stampText } from '../src/lib/text';

describe('cells', () => {
	it.each([
		[null, {}, ''],
		[true, { type: 'yes-no' }, 'yes'],
		[1234, { type: 'integer' }, '1234'],
		[1234.5, { type: 'decimal' }, '1,234.5'],
		[1234.5, { type: 'decimal', format: 'money' }, '1,234.50'],
		['12345678901234567890.25', { type: 'decimal', format: 'money' }, '12,345,678,901,234,567,890.25'],
		[27.75, { type: 'decimal', format: 'hours' }, '27 h 45 min'],
		[0.175, { type: 'decimal', format: 'hours' }, '11 min'],
		[-2, { type: 'integer', format: 'hours' }, '-2 h'],
		[12.5, { type: 'decimal', format: 'minutes' }, '12 min 30 s'],
		[-0.001, { type: 'decimal', format: 'minutes' }, '0 s'],
		[1234567.885, { type: 'decimal', format: '#,##0.00' }, '1,234,567.89'],
		['12345678901234567890.5', { type: 'decimal', format: "'£'#,##0.00" }, '£12,345,678,901,234,567,890.50'],
		[-1234.5, { type: 'decimal', format: "'£'#,##0.00;('£'#,##0.00)" }, '(£1,234.50)'],
		[-0.004, { type: 'decimal', format: '0.00' }, '0.00'],
		[-1.5, { type: 'decimal', format: '£0.00' }, '-£1.50'],
		[0.12345, { type: 'decimal', format: '0.0#%' }, '12.35%'],
		[0.0125, { type: 'decimal', format: '0.0‰' }, '12.5‰'],
		[12.5, { type: 'decimal', format: "0.00' m'" }, '12.50 m'],
		[3, { type: 'integer', format: "0' o''clock'" }, "3 o'clock"],
		[7, { type: 'integer', format: '000' }, '007'],
		[1e-7, { type: 'decimal', format: '0.0000000' }, '0.0000001'],
		['2025-03-31', { type: 'date' }, 'Mar 31, 2025'],
		['2025-03-30T02:00:00+01:00', { type: 'date-time' }, 'Mar 30, 2025, 2:00:00 AM +01:00'],
		['20260231', { type: 'date' }, '20260231'],
		['2025-13-01', { type: 'date' }, '2025-13-01'],
	] as const)('%s is %s', (value, column, text) => {
		expect(cellText(value, column).replaceAll('\u202f', ' ')).toBe(text);
	});
	const [day, moment] = ['2025-03-09', '2025-03-09T17:05:06.25+00:00'];
	it.each([
		[day, 'date', 'dd.MM.yyyy', '', '09.03.2025'],
		[day, 'date', "EEEE d MMMM y 'o''clock'", 'en-GB', "Sunday 9 March 2025 o'clock"],
		[day, 'date', 'EEE, d. MMM yy', 'de', 'So, 9. März 25'],
		[day, 'date', 'd MMMM', 'ru', '9 марта'],
		[day, 'date', "QQQ y, 'week' w", '', 'Q1 2025, week 10'],
		['2024-12-30', 'date', 'ww/Y', '', '01/2025'],
		[day, 'date', 'long', 'de', '9. März 2025'],
		[day, 'date', 'short', 'en-GB', '09/03/2025'],
		[day, 'date', 'plain', '', day],
		[day, 'date', '', 'de', '09.03.2025'],
		[moment, 'date-time', 'HH:mm', '', '17:05'],
		[moment, 'date-time', 'h:mm:ss.SS a XXX', '', '5:05:06.25 PM Z'],
		[moment, 'date-time', 'short', 'de', '09.03.25, 17:05'],
		['2025-10-26T01:30:00+01:00', 'date-time', 'd MMM HH:mm', 'en-GB', '26 Oct 01:30 +01:00'],
		['2025-10-26T01:30:00+00:00', 'date-time', 'd MMM HH:mm', 'en-GB', '26 Oct 01:30 +00:00'],
		['2025-10-26T01:30:00+00:00', 'date-time', 'd MMM', 'en-GB', '26 Oct'],
		['20260231', 'date', 'd MMM', '', '20260231'],
	] as const)('%s, a %s as %s in %s, is %s', (value, type, format, language, text) => {
		const place = { zone: 'Europe/London', language };
		expect(cellText(value, { type, format }, place).replaceAll('\u202f', ' ')).toBe(text);
	});
	it('are in the language of the report, and in the words of their column', () => {
		expect(cellText(1234.5, { type: 'decimal' }, { language: 'de' })).toBe('1.234,5');
		expect(cellText(-0.5, { type: 'decimal', format: '#,##0.00' }, { language: 'de' })).toBe('-0,50');
		const words = { yes: 'open', no: 'closed', blank: 'never paid' };
		expect([true, false, null].map((v) => cellText(v, { words }))).toEqual(['open', 'closed', 'never paid']);
	});
	it('keeps fractions of seconds', () => {
		expect(stampText('2025-03-31T23:59:59.125Z').replaceAll('\u202f', ' ')).toBe('Mar 31, 2025, 11:59:59.125 PM Z');
	});
});

describe('a selection', () => {
	const selection = { anchor: { row: 4, column: 2 }, head: { row: 2, column: 3 } };
	it('is a rectangle, wherever it was begun', () => {
		expect(bounds(selection)).toEqual({ top: 2, bottom: 4, left: 2, right: 3 });
		expect([holds(selection, 3, 2), holds(selection, 5, 2), holds(undefined, 0, 0)]).toEqual([true, false, false]);
	});
	it.each([
		['ArrowUp', false, { row: 4, column: 2 }],
		['ArrowDown', true, { row: 9, column: 2 }],
		['PageDown', false, { row: 8, column: 2 }],
		['Home', false, { row: 5, column: 0 }],
		['End', true, { row: 9, column: 3 }],
		['ArrowRight', false, { row: 5, column: 3 }],
	])('%s, with Ctrl %s', (key, ctrlKey, to) => {
		expect(step({ key, ctrlKey } as KeyboardEvent, { row: 5, column: 2 }, 10, 4, 3)).toEqual(to);
	});
	it('stays inside, and leaves other keys alone', () => {
		expect(step({ key: 'ArrowUp' } as KeyboardEvent, { row: 0, column: 0 }, 10, 4, 3)).toEqual({ row: 0, column: 0 });
		expect(step({ key: 'x' } as KeyboardEvent, { row: 0, column: 0 }, 10, 4, 3)).toBeUndefined();
	});
	it('is tab-separated, with what would break it in quotes', () => {
		expect(
			tabSeparated([
				['a', 'b\tc'],
				['say "so"', 'two\nlines'],
			]),
		).toBe('a\t"b\tc"\n"say ""so"""\t"two\nlines"');
	});
});

it('puts columns in an order of one’s own, new ones after', () => {
	expect(ordered(['a', 'b', 'c'], [])).toEqual([0, 1, 2]);
	expect(ordered(['a', 'b', 'c', 'd'], ['c', 'gone', 'a'])).toEqual([2, 0, 1, 3]);
});

it('writes a command that a shell takes apart again', () => {
	const target = { report: 'dues', draft: true };
	const inputs = {
		owner: "O'Neil & $HOME",
		locks: ['Harrow Top', 'Mossgill'],
		period: { start: '2025-03-01', end: '' },
	};
	expect(commandLine(target, inputs)).toBe(
		`pikegate run dues --draft --set 'owner=O'\\''Neil & $HOME' --set 'locks=Harrow Top' --set locks=Mossgill --start 2025-03-01`,
	);
	expect(JSON.parse(httpRequest(target, inputs, ['a descending']).split('\n\n')[1]!)).toEqual({
		inputs,
		sort: ['a descending'],
		draft: true,
	});
});

// An address carries answers there and back: texts, both ends of a period, its
// words, several answers, none where there is a default; a run's record makes
// the same address.
describe('an address', () => {
	const question = (name: string, kind: string, fallback?: string[]) =>
		({ name, kind, default: fallback, limits: {} }) as unknown as Question;
	const questions = [
		question('period', 'period', ['last month']),
		question('region', 'text', ['north']),
		question('locks', 'text'),
		question('least', 'integer', ['5']),
	];
	const blank = { start: '', end: '', words: '' };
	it.each([
		['period=2025-03&locks=A&locks=B+%26+C', { period: { ...blank, words: '2025-03' } }, ['A', 'B & C'], []],
		[
			'period.start=2025-03-01&period.end=2025-03-31',
			{ period: { ...blank, start: '2025-03-01', end: '2025-03-31' } },
			[],
			[],
		],
		['period=&region=&least=', {}, [], ['period', 'region', 'least']],
		['least=', {}, [], ['least']],
		['', {}, [], []],
	])('%s', (text, periods, locks, none) => {
		const answers = fromQuery(questions, text);
		expect(answers.periods.period).toEqual((periods as Record<string, unknown>).period ?? blank);
		expect(answers.texts.locks).toEqual(locks);
		expect(Object.keys(answers.nones).filter((name) => answers.nones[name])).toEqual(none);
		expect(fromQuery(questions, toQuery(questions, answers, []))).toEqual(answers);
	});
	it('says nothing of a question without a default that is blank', () => {
		expect(fromQuery(questions, 'locks=').nones.locks).toBe(false);
	});
	it('is that of a run', () => {
		const run = { report: 'visits', sort: ['toll descending'] } as Parameters<typeof reportLink>[0];
		const address = reportLink(run, { period: { start: '2025-03-01' }, region: '', locks: ['A', 'B'] });
		const answers = fromQuery(questions, address.slice(address.indexOf('?') + 1));
		expect(answers.periods.period?.start).toBe('2025-03-01');
		expect(answers.texts.locks).toEqual(['A', 'B']);
		expect(answers.nones.region).toBe(true);
	});
});
