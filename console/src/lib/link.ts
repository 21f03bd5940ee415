// The answers of a report in its address, so that a link carries them, Back and
// Forward work, and a reload loses nothing.
import type { PeriodText } from './PeriodField.svelte';
import type { Question } from './api';

export type Answers = { periods: Record<string, PeriodText>; texts: Record<string, string[]> };

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
	}
	return query.toString();
}

/** The answers in an address; what it does not know of is left out. */
export function fromQuery(questions: Question[], text: string): Answers {
	const query = new URLSearchParams(text);
	const answers: Answers = { periods: {}, texts: {} };
	for (const q of questions) {
		answers.periods[q.name] = {
			start: query.get(q.name + '.start') ?? '',
			end: query.get(q.name + '.end') ?? '',
			words: q.kind === 'period' ? (query.get(q.name) ?? '') : '',
		};
		answers.texts[q.name] = q.kind === 'period' ? [] : query.getAll(q.name);
	}
	return answers;
}

/** The address of a report with answers as a run's record has them. */
export function reportLink(report: string, typed: Record<string, unknown>): string {
	const query = new URLSearchParams();
	for (const [name, value] of Object.entries(typed)) {
		if (Array.isArray(value)) for (const item of value) query.append(name, String(item));
		else if (value && typeof value === 'object')
			for (const [end, text] of Object.entries(value)) query.append(`${name}.${end}`, String(text));
		else if (value !== null && value !== '') query.append(name, String(value));
	}
	return `/reports/${encodeURIComponent(report)}?${query}`;
}
