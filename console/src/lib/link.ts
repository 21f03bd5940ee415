// The answers of a report in its address, so that a link carries them, Back and
// Forward work, and a reload loses nothing.
import type { PeriodText } from '../ask/period';
import type { Answer, Inputs, Link, OverviewPart, Question, RunRecord, Target } from './api';
import type { Cell } from './text';

export type Answers = {
	periods: Record<string, PeriodText>;
	texts: Record<string, string[]>;
	/** Questions that are answered by nothing, where leaving them alone would mean their default. */
	nones: Record<string, boolean>;
};

/** The order a reader chose has a name no question can have. */
const sortKey = 'in-order-of';
export const sortOf = (text: string) => new URLSearchParams(text).getAll(sortKey);

/** The part of an address after the question mark. */
export function toQuery(questions: Question[], answers: Answers, sort: string[]): string {
	const query = new URLSearchParams();
	for (const key of sort) query.append(sortKey, key);
	for (const q of questions) {
		const period = answers.periods[q.name];
		if (q.kind === 'period' && period) {
			if (period.words) query.append(q.name, period.words);
			if (period.start) query.append(q.name + '.start', period.start);
			if (period.end) query.append(q.name + '.end', period.end);
		} else for (const text of answers.texts[q.name] ?? []) if (text) query.append(q.name, text);
		if (answers.nones[q.name]) query.append(q.name, '');
	}
	return query.toString();
}

/** The answers in an address; what it does not know of is left out. */
export function fromQuery(questions: Question[], text: string): Answers {
	const query = new URLSearchParams(text);
	const answers: Answers = { periods: {}, texts: {}, nones: {} };
	for (const q of questions) {
		answers.periods[q.name] = {
			start: query.get(q.name + '.start') ?? '',
			end: query.get(q.name + '.end') ?? '',
			words: q.kind === 'period' ? (query.get(q.name) ?? '') : '',
		};
		answers.texts[q.name] = q.kind === 'period' ? [] : query.getAll(q.name).filter(Boolean);
		answers.nones[q.name] = query.get(q.name) === '' && !!q.default?.length;
	}
	return answers;
}

/** The address of a report or an overview, or of its draft. */
export function reportAddress(target: Target): string {
	const kind = target.overview ? 'overview' : 'report';
	const name = encodeURIComponent(target.report);
	return target.draft ? `/drafts/${kind}/${name}/try` : `/${kind}s/${name}`;
}

/** The address of the report of a part of an overview, with the answers of the page. */
export function partAddress(part: OverviewPart, inputs: Inputs, answers: Answer[]): string {
	const typed: Record<string, unknown> = { ...part.fixed };
	for (const [own, question] of Object.entries(part.takes ?? {})) {
		// What the page answers by a default, the report is asked for outright.
		const read = answers.find((a) => a.name === question);
		typed[own] = inputs[question] ?? (read?.given ? read.canonical : '');
	}
	return `${reportAddress({ report: part.report, draft: false })}?${inputsQuery(typed)}`;
}

/** Where a cell leads: a report with answers from its record; nothing where it is blank. */
export function cellAddress(link: Link, row: Cell[], columns: { name: string }[]): string {
	const query = new URLSearchParams();
	for (const [question, from] of Object.entries(link.set ?? {})) {
		const value = from.column ? row[columns.findIndex((c) => c.name === from.column)] : undefined;
		const text = typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value ?? '');
		// Of a date-time, its day.
		const answers = from.column ? [text.replace(/^(\d{4}-\d\d-\d\d)T\d\d:.*$/, '$1')] : (from.texts ?? []);
		for (const answer of answers) if (answer) query.append(question, answer);
	}
	const address = '#/reports/' + encodeURIComponent(link.report);
	return query.size ? `${address}?${query}` : address;
}

/** Answers as they were typed, as the part of an address after the question mark. */
export function inputsQuery(typed: Record<string, unknown>): string {
	const query = new URLSearchParams();
	addTyped(query, typed);
	return query.toString();
}

function addTyped(query: URLSearchParams, typed: Record<string, unknown>) {
	for (const [name, value] of Object.entries(typed)) {
		if (Array.isArray(value)) for (const item of value) query.append(name, String(item));
		else if (value && typeof value === 'object')
			for (const [end, text] of Object.entries(value)) query.append(`${name}.${end}`, String(text));
		else if (value !== null) query.append(name, String(value));
	}
}

/** The address of a run's report with answers as its record has them. */
export function reportLink(run: RunRecord, typed: Record<string, unknown>): string {
	const query = new URLSearchParams();
	for (const key of run.sort ?? []) query.append(sortKey, key);
	addTyped(query, typed);
	return `${reportAddress({ report: run.report, draft: run.version === 0 })}?${query}`;
}

/** The same run as a command line, each answer quoted for a shell. */
export function commandLine(target: Target, inputs: Inputs): string {
	const words = ['pikegate', 'run', target.report];
	if (target.draft) words.push('--draft');
	for (const [name, value] of Object.entries(inputs)) {
		if (Array.isArray(value)) for (const text of value) words.push('--set', `${name}=${text}`);
		else if (typeof value === 'string') words.push('--set', `${name}=${value}`);
		else {
			if (value.start) words.push('--start', value.start);
			if (value.end) words.push('--end', value.end);
		}
	}
	return words.map((w) => (/^[\w./:=+-]+$/.test(w) ? w : `'${w.replaceAll("'", `'\\''`)}'`)).join(' ');
}

/** The same run as an HTTP request, for a program. */
export function httpRequest(target: Target, inputs: Inputs, sort: string[]): string {
	const body = JSON.stringify({ inputs, ...(sort.length ? { sort } : {}), ...(target.draft ? { draft: true } : {}) });
	return `POST ${location.origin}/api/v1/reports/${encodeURIComponent(target.report)}/runs\nContent-Type: application/json\n\n${body}`;
}

/** The address of a draft. */
export const draftAddress = (kind: string, name: string) =>
	`/drafts/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`;

/** The address of a report, a query, a condition or a rule as a sentence. */
export const buildAddress = (kind: string, name: string) =>
	`/build/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`;

/** The address of a report that is begun from a table. */
export const beginAddress = (source: string, table: string, on = '') =>
	`/build/new/report?${new URLSearchParams({ source, table, ...(on ? { on } : {}) })}`;

/** The address of a new draft, some of its fields filled in. */
export const newDraftAddress = (kind: string, fields: Record<string, string> = {}) =>
	`/drafts/new/${kind}?${new URLSearchParams(fields)}`;
