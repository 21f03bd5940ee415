// What every part of the page of a report needs to know and to do.
import type { Operator, Phrase, PhraseValue } from '../lib/api';
import { fieldsOf, itemsOf, textOf, type Value } from '../draft/definition';

/** A column that something can be said of. */
export type Subject = { text: string; type: string; label: string };

/** A question of the query, as people meet it. */
export type Asked = { name: string; label: string; kind: string; many: boolean; shared: boolean };

export type Building = {
	subjects: Subject[];
	questions: Asked[];
	operatorsOf: (type: string | undefined) => Operator[];
	/** Changes the conditions. */
	change: (tree: Phrase) => void;
	/** Makes a question for what something is said of, and tells its name. */
	ask: (subject: NonNullable<Phrase['subject']>, operator: Operator) => string;
	/** The values that occur in TABLE.COLUMN. */
	values: (column: string, search: string) => Promise<{ value: string; count?: number }[]>;
	back: () => void;
};

/** A name in words: paid_on is "Paid on". */
export function labelled(name: string): string {
	const words = name.replaceAll('"', '').split('.').pop()!.replace(/[_-]/g, ' ').trim();
	return words.charAt(0).toUpperCase() + words.slice(1);
}

export const lowered = (label: string) =>
	/^[A-ZÄÖÜ][a-zäöüß ]/.test(label) ? label.charAt(0).toLowerCase() + label.slice(1) : label;

/** What a value is to people. */
export function valueWords(v: PhraseValue, questions: Asked[]): string {
	if (v.from === 'asked') return questions.find((q) => q.name === v.text)?.label ?? ':' + v.text;
	if (v.from === 'worked') return v.text || '…';
	if (v.text === 'true') return 'yes';
	if (v.text === 'false') return 'no';
	return v.text || '…';
}

/** A name as it is written in an expression: one that is no plain word stands in quotes. */
export const quoted = (name: string) => (/^[a-z_][a-z0-9_]*$/i.test(name) ? name : `"${name.replaceAll('"', '""')}"`);

/** The fields of a query or a report. */
export type Fields = { [field: string]: Value } | undefined;

/** What a report says of each question: its label, the answers it suggests. */
export const wordingOf = (report: Fields) =>
	Object.fromEntries(itemsOf(report?.ask).flatMap((item) => Object.entries(fieldsOf(item)))) as Record<string, Value>;

/** The questions of a query as a report asks them. */
export function questionsOf(query: Fields, report: Fields): Asked[] {
	const wording = wordingOf(report);
	return itemsOf(query?.parameters).flatMap((item) => {
		const q = fieldsOf(item);
		const name = textOf(q.name) || textOf(q.use);
		if (!name) return [];
		return [
			{
				name,
				label: textOf(fieldsOf(wording[name]).label) || textOf(q.label) || labelled(name),
				kind: textOf(q.kind),
				many: q.many === true,
				shared: textOf(q.use) !== '',
			},
		];
	});
}

/** A column of the result: its name, what it holds as written, and what people read. */
export type Shown = { name: string; value: string; label: string; format: string; words?: Value; emphasis?: Value };

/** The columns of a query's result. */
export const columnsOf = (query: Fields): Shown[] =>
	itemsOf(query?.columns).map((c) => {
		const fields = fieldsOf(c);
		const value = textOf(c) || textOf(fields.value);
		const name = textOf(c) ? value.replaceAll('"', '').split('.').pop()! : textOf(fields.name) || value;
		const { words, emphasis } = fields;
		return {
			name,
			value,
			label: textOf(fields.label) || labelled(name),
			format: textOf(fields.format),
			words,
			emphasis,
		};
	});

/** The tables of a query, by the names they have in it. */
export function tablesOf(query: Fields): { table: string; as: string }[] {
	const own = (table: string) => table.split('.').pop()!;
	const from = textOf(query?.from);
	return [
		{ table: from, as: own(from) },
		...itemsOf(query?.joins).map((j) => {
			const table = textOf(fieldsOf(j).table);
			return { table, as: textOf(fieldsOf(j).as) || own(table) };
		}),
	];
}
