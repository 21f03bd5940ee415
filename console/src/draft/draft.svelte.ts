// A draft while it is written: its text, what the service says of it, and what
// is kept in this browser until it is saved.
import { draftsOf } from '../lib/account.svelte';
import {
	checkDefinitions,
	firstResults,
	pushDefinitions,
	messageOf,
	Refusal,
	showDraft,
	type Examination,
	type Problem,
	type Result,
} from '../lib/api';
import { read } from './definition';
import { newerIn, type How, type Newer } from './standing';

/** What new definitions begin as. */
const beginnings: Record<string, string> = {
	query: 'kind: query\nname: new-query\nsource: SOURCE\nfrom: FROM\ncolumns: []\n',
	report: 'kind: report\nname: new-report\nquery: QUERY\n',
	parameter: 'kind: parameter\nname: new_question\nparameter: { kind: text }\n',
	source: 'kind: source\nname: SOURCE\nencodings: {}\n',
	rule: 'kind: rule\nname: new-rule\nsource: SOURCE\non: ON\nfor: []\ncriteria: ""\n',
	calendar: 'kind: calendar\nname: new-calendar\nholidays: [every 12-25]\nperiods: {}\n',
	schedule:
		'kind: schedule\nname: new-schedule\nreport: REPORT\nset: {}\nwhen: every monday at 07:00\ndeliver:\n  - mail: { to: office@navigation.example }\n',
	criterion: 'kind: criterion\nname: new_condition\non: ON\ncriteria: ""\n',
};

export function beginning(kind: string, fields: URLSearchParams, source: string): string {
	const given: Record<string, string> = { SOURCE: fields.get('source') ?? source };
	for (const [key, value] of fields) given[key.toUpperCase()] = value;
	let text = (beginnings[kind] ?? beginnings.query!).replace(/\b[A-Z]+\b/g, (word) => given[word] ?? '""');
	const name = fields.get('name');
	if (name) text = text.replace(/name: \S+/, 'name: ' + name);
	return text;
}

export class Draft {
	text = $state('');
	/** What was saved last, undefined for what never was. */
	saved = $state<string>();
	/** The revision it was changed from, and the one somebody else made since. */
	#base = 0;
	newer = $state.raw<Newer>();
	found = $state.raw<Examination>();
	rows = $state.raw<Result>();
	/** Why there are no rows to look at. */
	without = $state('');
	checking = $state(false);
	/** Whether its examples are being run. */
	running = $state(false);
	failure = $state('');
	reading = $derived(read(this.text));
	problems = $derived<Problem[]>(this.found?.problems ?? []);
	changed = $derived(this.text !== this.saved);
	#key = '';
	#timer = 0;
	#abort?: AbortController;

	/** Opens a kept draft, or what was left unsaved in this browser. */
	async open(kind: string, name: string) {
		const key = `${draftsOf()}${kind}/${name}`;
		this.#begin(key);
		try {
			const kept = await showDraft(kind, name);
			if (this.#key !== key) return; // the page has gone on
			this.saved = kept.content;
			const unsaved = localStorage.getItem(key) !== null && Number(localStorage.getItem(key + '#base'));
			this.#base = unsaved || kept.revision || 0;
		} catch (e) {
			if (this.#key === key) this.failure = messageOf(e);
			return;
		}
		this.write(localStorage.getItem(this.#key) ?? this.saved);
	}

	/** Begins a new one; those begun with other fields are kept apart. */
	create(address: string, text: string) {
		this.#begin(`${draftsOf()}new/${address}`);
		this.write(localStorage.getItem(this.#key) ?? text);
	}

	#begin(key: string) {
		this.close();
		this.#key = key;
		this.saved = this.found = this.rows = undefined;
		this.#base = 0;
		this.newer = undefined;
		this.failure = this.text = '';
	}

	/** Takes in a text, keeps it in this browser, and has it checked. */
	write(text: string) {
		this.text = text;
		if (text === this.saved) this.#forget();
		else {
			localStorage.setItem(this.#key, text);
			if (this.#base) localStorage.setItem(this.#key + '#base', String(this.#base));
		}
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => this.check(), 250) as unknown as number;
	}

	#forget() {
		localStorage.removeItem(this.#key);
		localStorage.removeItem(this.#key + '#base');
	}

	/** Goes back to what was saved last. */
	discard() {
		this.#forget();
		if (this.saved !== undefined) this.write(this.saved);
	}

	/** Has the text checked at once, and its examples run where asked. */
	async check(run = false) {
		clearTimeout(this.#timer); // or the check that typing put off would cut this one short
		this.#abort?.abort();
		const abort = (this.#abort = new AbortController());
		const text = this.text;
		this.checking = true;
		this.running = run;
		try {
			const found = await checkDefinitions(text, run, abort.signal);
			// While it cannot be read, what could be written stays known.
			if (!found.words?.length && this.found) found.words = this.found.words;
			this.found = found;
			const failed = found.problems?.some((p) => p.severity !== 'warning');
			const kind = found.definitions?.[0]?.kind;
			if (failed) this.without = 'The first rows stand here when nothing is wrong.';
			else if (kind !== 'query' && kind !== 'report') this.without = 'Only queries and reports have rows.';
			else {
				this.rows = await firstResults(text, abort.signal);
				this.without = '';
			}
		} catch (e) {
			if (abort.signal.aborted) return;
			this.rows = undefined;
			this.without = messageOf(e);
		}
		if (this.#abort === abort) this.checking = this.running = false;
	}

	/**
	 * Keeps the draft in the service; the kind and name it was kept under. Where
	 * somebody else has changed it since it was opened, both changes are told, and how
	 * says what becomes of theirs.
	 */
	async save(how: How = ''): Promise<{ kind: string; name: string } | undefined> {
		const text = this.text;
		const own = this.found?.definitions?.[0];
		const from = how === 'over' ? (this.newer?.revision ?? 0) : this.#base;
		try {
			const revisions = own && from ? { [`${own.kind} ${own.name}`]: from } : {};
			const { definitions, changes } = await pushDefinitions(text, revisions, how === 'merge');
			const kept = definitions?.[0];
			const merged = changes?.[0]?.merged;
			this.failure = '';
			this.newer = undefined;
			if (merged && this.text !== text) return kept; // what was typed meanwhile is merged with the next
			this.#forget();
			this.saved = merged || text;
			if (merged) this.write(merged);
			this.#base = kept?.revision ?? 0;
			return kept;
		} catch (e) {
			this.newer = newerIn(e)[0];
			this.failure = e instanceof Refusal ? 'Not saved: ' + e.message : String(e);
			if (e instanceof Refusal && this.found) this.found = { ...this.found, problems: e.problems };
			return undefined;
		}
	}

	close() {
		this.#key = '';
		clearTimeout(this.#timer);
		this.#abort?.abort();
	}
}
