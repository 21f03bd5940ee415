import { expect, test } from 'vitest';
import { remade, takenApart, written } from '../src/build/making';

test.each([
	'toll_pence',
	'locks.name',
	'"odd name"',
	'running sum of toll',
	'running count',
	'running count by lock',
	'running average of l."odd ""name" by (lock, region)',
	'previous toll by lock',
	'rank of toll ascending by region',
	'share of toll in lock',
	'share of toll',
	'count',
	'median of toll',
	'percentile 99.5 of toll',
	'count distinct of vessel_id',
])('%s is taken apart and put together again', (text) => {
	const parts = takenApart(text);
	expect(parts).toBeDefined();
	expect(written(parts!)).toBe(text);
});

test.each([
	'toll / 100',
	"'text'",
	'sum of toll where paid',
	'sum of toll / 100',
	'running sum of toll in lock',
	'share of toll by lock',
	'sum of toll by lock',
	'previous toll - toll',
	'month of passed_at',
	'median of toll ascending',
	'running sum of toll by (lock, )',
	'',
])('%s stays a text', (text) => expect(takenApart(text)).toBeUndefined());

test('another making keeps what it can', () => {
	const running = takenApart('running sum of toll by (lock, region)')!;
	expect(remade(running, 'rank', [])).toBe('rank of toll by (lock, region)');
	expect(remade(running, 'share', [])).toBe('share of toll in (lock, region)');
	expect(remade(running, 'median', [])).toBe('median of toll');
	expect(remade(running, 'running count', [])).toBe('running count by (lock, region)');
	expect(remade(takenApart('count')!, 'sum', ['toll'])).toBe('sum of toll');
	expect(remade(running, '', [])).toBe('toll');
});
