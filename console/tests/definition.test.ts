// The text of a definition and what the form makes of it: a change is made at
// its place, and everything else stays as it was written.
import { describe, expect, it } from 'vitest';
import { add, at, markOf, move, pathOf, read, set, type Path, type Value } from '../src/draft/definition';

const files = import.meta.glob<string>('../../internal/demo/definitions/*.yaml', {
	query: '?raw',
	import: 'default',
	eager: true,
});
const definitions = Object.entries(files).flatMap(([file, content]) =>
	content.split(/^---\n/m).map((text, i) => ({ name: `${file.split('/').pop()} ${i + 1}`, text })),
);

function* texts(value: Value, path: Path = []): Generator<Path> {
	if (value === '') return; // one that is blank is taken away when it is set
	if (typeof value === 'string') yield path;
	else if (typeof value === 'object')
		for (const [key, v] of Object.entries(value)) yield* texts(v, [...path, Array.isArray(value) ? Number(key) : key]);
}
// Texts that are quoted in YAML for different reasons, or not at all; each is put into some places.
const others = ['other', 'with: a colon, and # a mark', '2025', "it's", '"quoted"', '- dash', 'a, b]}'];
const comments = (text: string) => text.match(/#.*/g) ?? [];

describe.each(definitions)('$name', ({ text }) => {
	const value = read(text).value!;

	it('changes any one text in its place, and back again', () => {
		for (const [i, path] of [...texts(value)].entries()) {
			const old = at(value, path) as string;
			for (const next of [0, 1, 2].map((j) => others[(3 * i + j) % others.length])) {
				const changed = set(text, path, next);
				expect(at(read(changed).value, path)).toBe(old.endsWith('\n') ? next + '\n' : next);
				expect(comments(changed).length).toBeGreaterThanOrEqual(comments(text).length);
				const back = set(changed, path, old);
				expect(read(back).value).toEqual(value);
			}
			expect(set(text, path, old)).toBe(text);
		}
	});

	it('adds, moves and takes away items, comments kept', () => {
		for (const [field, list] of Object.entries(value)) {
			if (!Array.isArray(list)) continue;
			const more = add(text, [field], 'one_more');
			expect(at(read(more).value, [field])).toEqual([...list, 'one_more']);
			expect(comments(more)).toEqual(comments(text));
			const first = move(more, [field], list.length, 0);
			expect(at(read(first).value, [field])).toEqual(['one_more', ...list]);
			expect(read(set(first, [field, 0], undefined)).value).toEqual(value);
		}
	});
});

it('puts a new field at its place in the order', () => {
	const text = 'kind: query\nname: q # a name\nfrom: locks\n';
	expect(set(text, ['source'], 'navigation', ['kind', 'name', 'source', 'from'])).toBe(
		'kind: query\nname: q # a name\nsource: navigation\nfrom: locks\n',
	);
	expect(set(text, ['criteria'], "name = 'A'\nand id > 3\n")).toBe(text + "criteria: |\n  name = 'A'\n  and id > 3\n");
	expect(set('kind: query\nlimits: {least: 1}\n', ['limits', 'least'], '')).toBe('kind: query\n');
});

it('says why a text cannot be read, and leaves it alone', () => {
	expect(read('a: [').trouble).not.toBe('');
	expect(read('a: 1\n---\nb: 2\n').trouble).toBe('The text holds several definitions.');
	expect(set('a: [', ['a'], 'x')).toBe('a: [');
});

it('finds the place of a problem', () => {
	const text =
		'kind: query\ncolumns:\n  - name\n  - {name: b, value: "Ä", label: x}\ncriteria: |\n  a = 1\n  and bb = 2\n';
	const place = (field: string, more = {}) => {
		const { from, to } = markOf(text, { code: 'x', message: 'X.', field, offset: 0, length: 0, ...more });
		return text.slice(from, to);
	};
	expect(pathOf('query q: columns[1].label')).toEqual(['columns', 1, 'label']);
	expect(place('query q: columns[1].label')).toBe('x');
	expect(place('query q: columns[1].nothing')).toBe('{name: b, value: "Ä", label: x}');
	expect(place('query q: criteria', { source: 'a = 1\nand bb = 2\n', line: 7, offset: 10, length: 2 })).toBe('bb');
	expect(place('columns[1].label', { line: 4, offset: 26, length: 5 })).toBe('label');
});
