// The calls to the service, typed by its OpenAPI document.
import type { components } from './schema';

type Schemas = components['schemas'];
export type ReportInfo = Schemas['ReportInfo'];
export type Sheet = Schemas['Sheet'];
export type Question = Schemas['SheetQuestion'];
export type Choice = Schemas['Choice'];
export type Preview = Schemas['Preview'];
export type Answer = Schemas['Answer'];
export type Explanation = Schemas['Explanation'];
export type Problem = Schemas['Problem'];
export type Fix = Schemas['Fix'];
export type Column = Schemas['Output'];
export type Header = Omit<Schemas['RunResult'], 'rows' | keyof Summary>;
export type Summary = Pick<
	Schemas['RunResult'],
	'outcome' | 'count' | 'first' | 'last' | 'problem' | 'ms' | 'reason' | 'edges' | 'totals'
>;
export type Edges = Schemas['Edges'];
export type Total = Schemas['Total'];
export type Subtotal = Schemas['Subtotal'];
export type Why = Schemas['Why'];
export type Coverage = Schemas['Coverage'];
export type RunRecord = Schemas['RunRecord'];

/** What one question was answered with: a text, texts, or a start and an end. */
export type Input = string | string[] | { start?: string; end?: string };
export type Inputs = Record<string, Input>;

/** A refusal: a problem document the service answered with. */
export class Refusal extends Error {
	problems: Problem[];
	constructor(document: { detail?: string; errors?: Problem[] | null }) {
		super(document.detail ?? 'The service refused.');
		this.problems = document.errors ?? [];
	}
}

async function call(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
	let response: Response;
	try {
		response = await fetch('api/v1' + path, {
			method,
			signal,
			headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
			body: body === undefined ? undefined : JSON.stringify(body),
		});
	} catch (error) {
		if (signal?.aborted) throw error;
		throw new Refusal({ detail: 'The service does not answer. Is it running?' });
	}
	if (!response.ok) {
		throw new Refusal(await response.json().catch(() => ({ detail: response.statusText })));
	}
	return response;
}

async function json<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
	return (await call(method, path, body, signal)).json();
}

const report = (name: string) => '/reports/' + encodeURIComponent(name);

export const listReports = () => json<ReportInfo[]>('GET', '/reports');
export const askReport = (name: string) => json<Sheet>('GET', report(name));
export const listChoices = (name: string, question: string, search: string, inputs: Inputs, signal: AbortSignal) =>
	json<Choice[]>(
		'POST',
		`${report(name)}/questions/${encodeURIComponent(question)}/choices?limit=200&search=${encodeURIComponent(search)}`,
		{ inputs },
		signal,
	);
export const previewReport = (name: string, inputs: Inputs, signal: AbortSignal) =>
	json<Preview>('POST', report(name) + '/preview', { inputs }, signal);
export const explainReport = (name: string, inputs: Inputs) =>
	json<Explanation>('POST', report(name) + '/explain', { inputs });
export const coverReport = (name: string, by: string, inputs: Inputs, signal: AbortSignal) =>
	json<Coverage>('POST', `${report(name)}/coverage?by=${by}`, { inputs }, signal);
export const listRuns = (report: string) =>
	json<RunRecord[]>('GET', '/runs?limit=200&report=' + encodeURIComponent(report));
export const showRun = (run: number) => json<RunRecord>('GET', `/runs/${run}`);
/** A whole result as a file. */
export const takeFile = async (name: string, inputs: Inputs, sort: string[], format: 'csv' | 'json') =>
	(await call('POST', `${report(name)}/runs?format=${format}`, { inputs, sort })).blob();
export const whyRun = (run: number) => json<Why>('GET', `/runs/${run}/why`);
export const startRun = (name: string, inputs: Inputs, sort: string[], signal: AbortSignal) =>
	call('POST', report(name) + '/runs?format=ndjson', { inputs, sort }, signal);
