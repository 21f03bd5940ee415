// What is made of the columns of a result: their order, groups, totals and drawing, as
// query and report write them.
import { add, at, fieldsOf, itemsOf, move, set, textOf, type Path, type Value } from '../draft/definition';
import { columnsOf, lowered, quoted, type Fields, type Shown } from './building';
import type { Work } from './work.svelte';

/** What is made of many values, by its name in the text. */
export const totals = {
	count: 'count',
	sum: 'sum',
	average: 'average',
	least: 'minimum',
	greatest: 'maximum',
	'count distinct': 'distinct values',
} as const;
type TotalName = keyof typeof totals;

export const units = ['day', 'week', 'month', 'quarter', 'half', 'year'];

/** A column and what is made of it, or a text that says something else. */
export type Made = { of: string; by: string };

const bare = (name: string) => name.replace(/^"(.*)"$/s, (_, inner: string) => inner.replaceAll('""', '"'));

/** "sum of toll" and "month of passed_at" taken apart; what is neither is all in of. */
export function takeApart(text: string): Made {
	const [, by, of] = /^(sum|average|least|greatest|count distinct|day|week|month|quarter|half|year) of (.+)$/s.exec(
		text.trim(),
	) ?? ['', '', text.trim()];
	return text.trim() === 'count' ? { by: 'count', of: '' } : { by: by ?? '', of: bare(of!) };
}

export const putTogether = ({ by, of }: Made) => (!of ? by : by ? `${by} of ${quoted(of)}` : quoted(of));

/** What people read of it. */
export function wordsOf(text: string, columns: Shown[]): string {
	const { by, of } = takeApart(text);
	if (!of) return by === 'count' ? 'the number of records' : by;
	const label = lowered(columns.find((c) => c.name === of)?.label ?? of);
	return by ? `${totals[by as TotalName] ?? by} of ${label}` : label;
}

export const isNumeric = (type: string) => type === 'integer' || type === 'decimal';
export const isDated = (type: string) => type === 'date' || type === 'date-time';

/** What can be made of a column of a type. */
export function totalsOf(type: string): TotalName[] {
	if (isNumeric(type)) return ['sum', 'average', 'least', 'greatest', 'count distinct'];
	return type === 'yes-no' ? ['count distinct'] : ['least', 'greatest', 'count distinct'];
}

/** How a group is shown: a line before its records, its column once, on pages of its own. */
export const groupOptions = {
	head: 'a line before its records',
	once: 'its column once',
	page: 'a page for each',
} as const;
export type GroupOption = keyof typeof groupOptions;
/** A group of a report: by what, what is made of each, and how it is shown. */
export type Grouping = { by: string; totals: string[]; shown?: GroupOption[] };
export type Drawing = { kind: string; x: string; y: string; split: string; panels?: string; beside?: boolean };
/** What stands along the top of a table of groups, and what its cells are made of. */
export type Crossing = { by: string; of: string[] };

const isTrue = (value: Value | undefined) => value === true || textOf(value) === 'true';

/** The report and the query of a page, and every change of what is made of the columns. */
export class Shape {
	#work: Work;
	#orders: () => { query: string[]; report: string[] };

	constructor(work: Work, orders: () => { query: string[]; report: string[] }) {
		this.#work = work;
		this.#orders = orders;
	}

	get #query(): Fields {
		return this.#work.reading.value;
	}
	get #report(): Fields {
		return this.#work.reportReading.value;
	}
	/** Whether there is a report that can make something of the columns. */
	get has(): boolean {
		return this.#report !== undefined;
	}
	get columns(): Shown[] {
		return columnsOf(this.#query);
	}
	/** The names of the columns that the report shows, in its order. */
	get shown(): string[] {
		const named = itemsOf(this.#report?.columns).map(textOf);
		return named.length ? named : this.columns.map((c) => c.name);
	}
	get sorts() {
		return itemsOf(this.#query?.sort).map((s) => {
			const [, by, direction = '', rest = ''] = /^(.*?)(?:\s+(ascending|descending))?(\s+blanks first)?$/s.exec(
				textOf(s),
			)!;
			return { by: by!, descending: direction === 'descending', rest };
		});
	}
	get groups(): Grouping[] {
		return itemsOf(this.#report?.groups).map((g) => {
			const shown = (Object.keys(groupOptions) as GroupOption[]).filter((o) => isTrue(fieldsOf(g)[o]));
			return {
				by: textOf(g) || textOf(fieldsOf(g).by),
				totals: itemsOf(fieldsOf(g).totals).map(textOf),
				...(shown.length ? { shown } : {}),
			};
		});
	}
	get totals(): string[] {
		return itemsOf(this.#report?.totals).map(textOf);
	}
	get drawing(): Drawing | undefined {
		const chart = fieldsOf(this.#report?.chart);
		if (!textOf(chart.kind)) return undefined;
		const [kind, x, y, split, panels] = ['kind', 'x', 'y', 'split', 'panels'].map((field) => textOf(chart[field]));
		return { kind: kind!, x: x!, y: y!, split: split!, panels: panels!, beside: isTrue(chart.beside) };
	}
	get crossing(): Crossing | undefined {
		const across = this.#report?.across;
		const by = textOf(across) || textOf(fieldsOf(across).by);
		return by ? { by, of: itemsOf(fieldsOf(across).of).map(textOf) } : undefined;
	}
	cross(c: Crossing | undefined) {
		this.report(['across'], !c ? undefined : c.of.length ? { by: c.by, of: c.of } : c.by);
	}

	query(path: Path, value: Value | undefined) {
		this.#work.edit('query', (text) => set(text, path, value, this.#orders().query));
	}
	report(path: Path, value: Value | undefined) {
		this.#work.edit('report', (text) => set(text, path, value, this.#orders().report));
	}
	#add(kind: 'query' | 'report', path: Path, item: Value) {
		this.#work.edit(kind, (text) => add(text, path, item, this.#orders()[kind]));
	}

	/** Changes a field of a column; one that is written as its value alone becomes a mapping. */
	describe(i: number, field: 'label' | 'name' | 'value' | 'format' | 'words' | 'emphasis', to: Value | undefined) {
		const now = this.columns[i]!;
		if (typeof at(this.#query, ['columns', i]) !== 'string') return this.query(['columns', i, field], to || undefined);
		if (to && to !== (field === 'name' ? now.name : field === 'value' ? now.value : ''))
			this.query(['columns', i], { name: now.name, value: now.value, [field]: to });
	}
	/** Has a word stand for yes, no or nothing in a column. */
	say(i: number, of: string, word: string) {
		const words = fieldsOf(this.columns[i]!.words);
		if (Object.keys(words).length) this.query(['columns', i, 'words', of], word || undefined);
		else if (word) this.describe(i, 'words', { [of]: word });
	}
	/** Adds a query to a union, or puts it to another place. */
	addQuery(name: string) {
		this.#add('query', ['union'], name);
	}
	moveQuery(from: number, to: number) {
		this.#work.edit('query', (text) => move(text, ['union'], from, to));
	}
	addColumn(value: string) {
		this.#add('query', ['columns'], value);
	}
	/** Moves a column to the place of another, in the report too where that names its columns. */
	moveColumn(from: number, to: number) {
		const [name, other] = [this.columns[from]?.name, this.columns[to]?.name];
		const named = itemsOf(this.#report?.columns).map(textOf);
		this.#work.edit('query', (text) => move(text, ['columns'], from, to));
		if (name && other && named.includes(name) && named.includes(other))
			this.#work.edit('report', (text) => move(text, ['columns'], named.indexOf(name), named.indexOf(other)));
	}
	/** Removes a column, and what is made of it. */
	dropColumn(i: number) {
		const { name } = this.columns[i]!;
		for (let n = this.sorts.length; n--;) if (this.sorts[n]!.by === name) this.query(['sort', n], undefined);
		this.#unmake(name);
		if (itemsOf(this.#report?.columns).map(textOf).includes(name)) this.show(name, false);
		this.query(['columns', i], undefined);
	}
	/** Removes what the report makes of a column. */
	#unmake(name: string) {
		const uses = (text: string) => takeApart(text).of === name;
		for (let n = this.groups.length; n--;) {
			const g = this.groups[n]!;
			if (uses(g.by)) this.dropGroup(n);
			else if (g.totals.some(uses)) this.setGroup(n, { by: g.by, totals: g.totals.filter((t) => !uses(t)) });
		}
		for (const text of this.totals.filter(uses)) this.total(text, false);
		const d = this.drawing;
		if (d && (uses(d.x) || uses(d.y))) this.draw(undefined);
		else if (d && (uses(d.split) || uses(d.panels ?? '')))
			this.draw({ ...d, split: uses(d.split) ? '' : d.split, panels: uses(d.panels ?? '') ? '' : d.panels });
		if (this.crossing && uses(this.crossing.by)) this.cross(undefined);
	}
	/** Shows a column in the report, or hides it there with what is made of it. */
	show(name: string, yes: boolean) {
		const order = this.columns.map((c) => c.name);
		const before = this.shown;
		const after = yes
			? order.filter((n) => n === name || before.includes(n)) // where it stands in the query
			: before.filter((n) => n !== name);
		if (!yes) this.#unmake(name);
		this.report(['columns'], after.length === order.length && yes ? undefined : after);
	}

	/** Puts a key into the order of the query, turns it, or takes it out. */
	sortBy(by: string, direction: 'ascending' | 'descending' | '') {
		const i = this.sorts.findIndex((s) => s.by === by);
		if (i >= 0) this.query(['sort', i], direction ? `${by} ${direction}${this.sorts[i]!.rest}` : undefined);
		else if (direction) this.#add('query', ['sort'], `${by} ${direction}`);
	}
	setSort(i: number, by: string, descending: boolean) {
		this.query(['sort', i], `${by} ${descending ? 'descending' : 'ascending'}${this.sorts[i]!.rest}`);
	}

	addGroup(by: string) {
		this.#add('report', ['groups'], by);
	}
	setGroup(i: number, g: Grouping) {
		const shown = Object.fromEntries((g.shown ?? this.groups[i]?.shown ?? []).map((option) => [option, true]));
		const fields = { by: g.by, ...shown, ...(g.totals.length ? { totals: g.totals } : {}) };
		this.report(['groups', i], Object.keys(fields).length > 1 ? fields : g.by);
	}
	dropGroup(i: number) {
		this.report(['groups', i], undefined);
	}
	moveGroup(from: number, to: number) {
		this.#work.edit('report', (text) => move(text, ['groups'], from, to));
	}
	/** Puts a total among those of all records, or takes it out. */
	total(text: string, yes: boolean) {
		const i = this.totals.indexOf(text);
		if (yes && i < 0) this.#add('report', ['totals'], text);
		else if (!yes && i >= 0) this.report(['totals', i], undefined);
	}
	draw(d: Drawing | undefined) {
		if (!d) return this.report(['chart'], undefined);
		for (const [field, to] of Object.entries(d)) {
			const now = fieldsOf(this.#report?.chart)[field];
			if (typeof to === 'boolean' ? isTrue(now) !== to : textOf(now) !== to)
				this.report(['chart', field], to || undefined);
		}
	}
}

/** An order by a column of a type in words, or by the month of a date and the like. */
export function orderWords(type: string, value: string, descending: boolean): string {
	if (isDated(type) || units.includes(takeApart(value).by)) return descending ? 'the newest first' : 'the oldest first';
	if (isNumeric(type)) return descending ? 'the largest first' : 'the smallest first';
	return descending ? 'from Z to A' : 'from A to Z';
}
