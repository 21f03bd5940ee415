// What every part of the page of a report needs to know and to do.
import type { Operator, Phrase, PhraseValue } from '../lib/api';
import type { Value } from '../draft/definition';

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

/** The questions of a query's fields. */
export function questionsOf(value: { [field: string]: Value } | undefined, ask: Value | undefined): Asked[] {
	const list = Array.isArray(value?.parameters) ? value.parameters : [];
	const wording: Record<string, string> = {};
	for (const item of Array.isArray(ask) ? ask : [])
		if (item && typeof item === 'object' && !Array.isArray(item))
			for (const [name, said] of Object.entries(item))
				if (said && typeof said === 'object' && !Array.isArray(said) && typeof said.label === 'string')
					wording[name] = said.label;
	return list.flatMap((q) => {
		if (!q || typeof q !== 'object' || Array.isArray(q)) return [];
		const text = (field: string) => (typeof q[field] === 'string' ? (q[field] as string) : '');
		const name = text('name') || text('use');
		if (!name) return [];
		return [
			{
				name,
				label: wording[name] || text('label') || labelled(name),
				kind: text('kind'),
				many: q.many === true,
				shared: text('use') !== '',
			},
		];
	});
}
