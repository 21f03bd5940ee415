// One run as it happens: the rows come as lines and are shown as they come.
import { account } from '../lib/account.svelte';
import {
	Refusal,
	startRun,
	type Header,
	type Inputs,
	type Opening,
	type Problem,
	type Subtotal,
	type Summary,
	type Target,
} from '../lib/api';
import type { Cell } from '../lib/text';

/** A record, what closes a group of them, or what begins one. */
export type Row = Cell[] | { group: Subtotal } | { head: Opening };

/** How many records the page keeps; further ones are counted, not shown. */
export const mostRows = 200_000;

/** How values of rows stand out, by column; rows that are not here have none that do. */
const emphases = new WeakMap<object, Record<string, string>>();
export const emphasisOf = (row: Row | undefined, column: string) => (row && emphases.get(row)?.[column]) ?? '';

export class Run {
	state = $state<'idle' | 'running' | 'ended'>('idle');
	header = $state.raw<Header>();
	summary = $state.raw<Summary>();
	problems = $state.raw<Problem[]>([]);
	failure = $state('');
	/** What is kept so far; the array grows in place, `kept` tells that it did. */
	rows: Row[] = [];
	kept = $state(0);
	/** How many records have come. */
	count = $state(0);
	/** How long the run has taken so far, in milliseconds. */
	spent = $state(0);
	/** What it was asked for. */
	asked?: { target: Target; inputs: Inputs; sort: string[] };
	#records = 0;
	/** How values of the next row stand out. */
	#emphasis?: Record<string, string>;
	#abort?: AbortController;

	/** How it is asked for: as a run of a report, where nothing else is said. */
	constructor(private begin = startRun) {}

	async start(target: Target, inputs: Inputs, sort: string[]) {
		this.stop();
		const abort = (this.#abort = new AbortController());
		this.state = 'running';
		this.asked = { target, inputs, sort };
		const begun = performance.now();
		const clock = setInterval(() => (this.spent = performance.now() - begun), 250);
		this.spent = 0;
		this.header = this.summary = undefined;
		this.problems = [];
		this.failure = '';
		this.rows = [];
		this.kept = this.count = this.#records = 0;
		try {
			const response = await this.begin(target, inputs, sort, abort.signal);
			for await (const lines of linesOf(response.body!)) {
				if (abort !== this.#abort) return;
				for (const line of lines) this.#take(line);
				this.kept = this.rows.length;
				this.count = this.#records;
			}
			const summary = this.summary as Summary | undefined;
			this.failure = summary ? (summary.problem ?? '') : 'The records broke off before their end.';
		} catch (error) {
			if (abort !== this.#abort) return;
			if (abort.signal.aborted) this.failure = 'Stopped. These are the records that had come by then.';
			else if (error instanceof Refusal && error.status === 401) {
				// Run again once somebody is signed in, unless another was begun meanwhile.
				account.whenKnown(() => {
					if (abort === this.#abort) this.start(target, inputs, sort);
				});
			} else if (error instanceof Refusal) {
				this.problems = error.problems;
				this.failure = error.message;
			} else this.failure = 'The records broke off: ' + error;
		} finally {
			clearInterval(clock);
		}
		this.state = 'ended';
	}

	stop() {
		this.#abort?.abort();
	}

	#take(line: string) {
		if (line.startsWith('[')) {
			if (this.rows.length < mostRows) {
				const row = parseRow(line);
				if (this.#emphasis) emphases.set(row, this.#emphasis);
				this.rows.push(row);
			}
			this.#emphasis = undefined;
			this.#records++;
		} else if (line.startsWith('{"emphasis":')) {
			this.#emphasis = (JSON.parse(line) as { emphasis: Record<string, string> }).emphasis;
		} else if (line.startsWith('{"group":') || line.startsWith('{"head":')) {
			if (this.rows.length < mostRows) this.rows.push(JSON.parse(line));
		} else if (!this.header) this.header = JSON.parse(line);
		else this.summary = JSON.parse(line);
	}
}

/** Reads a row; a number with more digits than the browser can hold stays text. */
function parseRow(line: string): Cell[] {
	if (!/\d{16}/.test(line)) return JSON.parse(line);
	const exact = (_: string, value: unknown, context?: { source?: string }) =>
		typeof value === 'number' && context?.source && String(value) !== context.source ? context.source : value;
	return JSON.parse(line, exact);
}

export async function* linesOf(body: ReadableStream<Uint8Array>): AsyncGenerator<string[]> {
	const reader = body.pipeThrough(new TextDecoderStream() as TransformStream<Uint8Array, string>).getReader();
	let rest = '';
	for (;;) {
		const { done, value } = await reader.read();
		if (done) break;
		const lines = (rest + value).split('\n');
		rest = lines.pop()!;
		yield lines;
	}
	if (rest) yield [rest];
}
