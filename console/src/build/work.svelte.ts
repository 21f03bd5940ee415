// A report and its query while they are built: two documents that are kept and
// published together, what the service says of them, and every step back.
import { draftsOf } from '../lib/account.svelte';
import {
	checkDefinitions,
	countCriteria,
	firstResults,
	messageOf,
	pushDefinitions,
	readCriteria,
	Refusal,
	showDraft,
	writeCriteria,
	type ConditionCounts,
	type CriteriaTree,
	type Examination,
	type Phrase,
	type Problem,
	type Result,
} from '../lib/api';
import { rebased } from './tree';
import { read, textOf, type Reading } from '../draft/definition';
import { newerIn, type How, type Newer } from '../draft/standing';

/** One document that is worked on. */
export type Part = { kind: string; name: string; text: string };

/** What is kept of it in this browser until it is saved. */
type Kept = { parts: Part[]; bases: Record<string, number> };

const joined = (parts: Part[]) => parts.map((p) => p.text.replace(/\n*$/, '\n')).join('---\n');

/** The documents of a text, what each is told by its own fields. */
export function partsOf(text: string, before: Part[]): Part[] {
	return text.split(/^---[ \t]*\n/m).flatMap((piece, i) => {
		if (!piece.trim()) return [];
		const value = read(piece).value;
		const [kind, name] = [textOf(value?.kind) || before[i]?.kind, textOf(value?.name) || before[i]?.name];
		return [{ kind: kind ?? '', name: name ?? '', text: piece }];
	});
}

export class Work {
	parts = $state.raw<Part[]>([]);
	/** What was saved last, undefined for what never was. */
	saved = $state.raw<string>();
	/** The conditions of the query, and what each lets through. */
	tree = $state.raw<CriteriaTree>();
	counts = $state.raw<ConditionCounts>();
	found = $state.raw<Examination>();
	rows = $state.raw<Result>();
	without = $state('');
	failure = $state('');
	/** Why it could not be saved, until it is tried again: no check takes that away. */
	unsaved = $state('');
	checking = $state(false);
	/** Problems of a condition that was not taken, by where it stands. */
	refused = $state.raw<Problem[]>([]);
	/** Revisions that somebody else made meanwhile, by kind and name. */
	newer = $state.raw<Record<string, Newer>>({});
	past = $state.raw<Part[][]>([]);
	future = $state.raw<Part[][]>([]);

	text = $derived(joined(this.parts));
	changed = $derived(this.text !== this.saved);
	query = $derived(this.parts.find((p) => p.kind !== 'report'));
	report = $derived(this.parts.find((p) => p.kind === 'report'));
	reading = $derived<Reading>(this.query ? read(this.query.text) : { trouble: '' });
	reportReading = $derived<Reading>(this.report ? read(this.report.text) : { trouble: '' });
	problems = $derived<Problem[]>(this.found?.problems ?? []);

	#key = '';
	#bases: Record<string, number> = {};
	#timer = 0;
	#abort?: AbortController;
	#writing: Promise<void> = Promise.resolve();
	#pushedAt = 0;
	/** The text of a query that the tree is of: it is not read again. */
	#of = '';
	/** Whether conditions are shown that are not in the text, and what was written last. */
	#wished = false;
	#last?: [sent: Phrase, written: Phrase];
	/** How many changes of conditions are being written. */
	#underway = $state(0);
	get writing(): boolean {
		return this.#underway > 0;
	}
	/** Counts the changes of conditions: what the service writes of one before the last is not taken. */
	#asked = 0;

	/** Goes on with what was saved under a kind and name just now; whether it is that. */
	goesOn(kind: string, name: string): boolean {
		const main = this.report ?? this.query;
		if (this.saved === undefined || main?.kind !== kind || main.name !== name) return false;
		this.#key = `${draftsOf()}build/${kind}/${name}`;
		this.check();
		return true;
	}

	/** Opens what is kept under a kind and name; of a report its query as well. */
	async open(kind: string, name: string) {
		const key = `${draftsOf()}build/${kind}/${name}`;
		this.#begin(key);
		try {
			const parts: Part[] = [];
			const fetch = async (kind: string, name: string) => {
				const kept = await showDraft(kind, name);
				this.#bases[`${kind} ${name}`] = kept.revision ?? 0;
				parts.unshift({ kind, name, text: kept.content });
				return kept.content;
			};
			const query = textOf(read(await fetch(kind, name)).value?.query);
			if (kind === 'report' && query) await fetch('query', query).catch(() => {});
			if (this.#key !== key) return; // the page has gone on
			this.saved = joined(parts);
			this.parts = parts;
		} catch (e) {
			if (this.#key === key) this.failure = messageOf(e);
			return;
		}
		this.#resume();
		this.check();
	}

	/** Begins something new; what was begun and not saved is there again. */
	create(address: string, content: string) {
		this.#begin(`${draftsOf()}build/new/${address}`);
		this.parts = partsOf(content, []);
		this.#resume();
		this.#keep();
		this.check();
	}

	/** Whether something new was begun at an address and is not saved yet. */
	static begun = (address: string) => localStorage.getItem(`${draftsOf()}build/new/${address}`) !== null;

	#begin(key: string) {
		this.close();
		this.#forgetWishes();
		this.#key = key;
		this.#bases = {};
		this.parts = this.past = this.future = this.refused = [];
		this.saved = this.found = this.rows = this.tree = this.counts = undefined;
		this.newer = {};
		this.failure = this.unsaved = this.without = '';
	}

	#resume() {
		try {
			const kept = JSON.parse(localStorage.getItem(this.#key) ?? 'null') as Kept | null;
			if (!kept?.parts.length) return;
			this.parts = kept.parts;
			this.#bases = kept.bases;
		} catch {
			localStorage.removeItem(this.#key); // nothing that can be read
		}
	}

	#keep() {
		if (!this.changed) localStorage.removeItem(this.#key);
		else localStorage.setItem(this.#key, JSON.stringify({ parts: this.parts, bases: this.#bases } satisfies Kept));
	}

	/** Takes in the documents as they are now; what is typed in quick succession is one step to go back, and so is all that one click changes. */
	take(parts: Part[], typing = false) {
		if (joined(parts) === this.text) return;
		const now = Date.now();
		if (now - this.#pushedAt > (typing ? 1500 : 30)) this.past = [...this.past.slice(-199), this.parts];
		this.#pushedAt = now;
		this.future = [];
		this.#show(parts);
	}

	#show(parts: Part[]) {
		this.parts = parts;
		this.#keep();
		this.#abort?.abort(); // what is asked is of a text that is no more
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => this.check(), 200) as unknown as number;
	}

	/** Gives up what was changed since, and is perhaps being written. */
	giveBack(parts: Part[], tree: CriteriaTree | undefined) {
		this.#forgetWishes();
		this.take(parts);
		this.tree = tree;
		this.refused = [];
	}

	#forgetWishes() {
		this.#asked++;
		this.#wished = false;
		this.#last = undefined;
	}

	back() {
		this.#forgetWishes();
		const before = this.past.at(-1);
		if (!before) return;
		this.past = this.past.slice(0, -1);
		this.future = [this.parts, ...this.future];
		this.tree = undefined;
		this.#show(before);
	}

	forth() {
		const [after, ...rest] = this.future;
		if (!after) return;
		this.#forgetWishes();
		this.future = rest;
		this.past = [...this.past, this.parts];
		this.tree = undefined;
		this.#show(after);
	}

	/** Whether a problem is one of the conditions, which tell it themselves. */
	inCriteria(p: Problem): boolean {
		return (
			/criteria$/.test(p.field ?? '') && p.source !== undefined && p.source.trimEnd() === this.tree?.criteria.trimEnd()
		);
	}

	/** Changes the text of one document. */
	edit(kind: 'query' | 'report', change: (text: string) => string) {
		const of = kind === 'report' ? this.report : this.query;
		if (!of) return;
		const text = change(of.text);
		const name = textOf(read(text).value?.name) || of.name;
		this.take(this.parts.map((p) => (p === of ? { ...p, text, name } : p)));
	}

	/** Changes the conditions as far as they are shown: one of them says too little yet. */
	wish(tree: Phrase) {
		if (!this.tree) return;
		this.tree = { ...this.tree, condition: tree };
		this.#wished = true;
	}

	/**
	 * Changes the conditions: the service writes them into the text. What it does not
	 * take stays in the sentence, with why.
	 */
	condition(tree: Phrase, put: (text: string, criteria: string) => string) {
		this.wish(tree);
		const asked = ++this.#asked;
		const write = async () => {
			const query = this.query;
			if (!query || asked !== this.#asked) return; // one that came later has it all
			const sent = this.#last ? rebased(tree, ...this.#last) : tree;
			try {
				const written = await writeCriteria(query.text, sent);
				if (this.query !== query || asked !== this.#asked) return; // it was changed meanwhile
				const now = this.tree?.condition ?? tree;
				this.#last = [sent, written.condition];
				this.#wished = now !== tree;
				this.refused = [];
				this.tree = { ...written, condition: rebased(now === tree ? sent : now, sent, written.condition) };
				this.edit('query', (text) => put(text, written.criteria));
				this.#of = this.query?.text ?? '';
			} catch (e) {
				if (e instanceof Refusal) this.refused = e.problems;
				else this.failure = messageOf(e);
			}
		};
		this.#underway++;
		this.#writing = this.#writing.then(write).finally(() => this.#underway--);
	}

	/** Asks the service for all that can be said; what was asked before is given up. */
	async check() {
		clearTimeout(this.#timer);
		this.#abort?.abort();
		const abort = (this.#abort = new AbortController());
		const [query, report] = [this.query, this.report];
		const content = this.text;
		const forRows = joined([report, query].filter((p) => p !== undefined));
		this.checking = true;
		const failed = (e: unknown) => {
			if (!abort.signal.aborted && !(e instanceof Refusal && e.status === 422)) this.failure = messageOf(e);
		};
		const conditions =
			query && (query.text !== this.#of || !this.tree)
				? readCriteria(query.text, abort.signal).then((tree) => {
						if (this.query !== query) return; // of a text that is no more
						if (this.#wished && this.tree?.criteria.trimEnd() === tree.criteria.trimEnd()) return;
						this.tree = tree;
						this.#wished = false;
					}, failed)
				: Promise.resolve();
		try {
			const found = await checkDefinitions(content, false, abort.signal);
			this.failure = '';
			if (!found.words?.length && this.found) found.words = this.found.words;
			this.found = found;
			await conditions;
			if (found.problems?.some((p) => p.severity !== 'warning')) {
				this.without = 'The first rows are shown when nothing is wrong.';
				this.counts = undefined;
			} else if (query?.kind !== 'query') {
				this.without = 'Only queries and reports have rows.';
			} else {
				this.counted(false, abort);
				this.rows = await firstResults(forRows, abort.signal);
				this.without = '';
			}
		} catch (e) {
			if (abort.signal.aborted) return;
			this.rows = undefined;
			this.without = messageOf(e);
		}
		if (this.#abort === abort) this.checking = false;
	}

	/** Counts beside the conditions; typing never waits for it. */
	async counted(anyway: boolean, abort: AbortController) {
		if (!this.query) return;
		try {
			this.counts = await countCriteria(this.query.text, anyway, abort.signal);
		} catch {
			if (!abort.signal.aborted) this.counts = undefined; // they stand beside, and are not needed
		}
	}

	countAnyway() {
		if (this.#abort) this.counted(true, this.#abort);
	}

	/** Whether all of it is kept, a condition that is just being written too. */
	async isSaved(): Promise<boolean> {
		await this.#writing;
		return !this.changed;
	}

	/**
	 * Keeps all of it in the service. Where somebody else changed it since it was
	 * opened, both changes are told, and how says what becomes of theirs.
	 */
	async save(how: How = ''): Promise<boolean> {
		await this.#writing;
		this.unsaved = '';
		const parts = this.parts;
		const revisions: Record<string, number> = {};
		for (const p of parts) {
			const id = `${p.kind} ${p.name}`;
			const base = (how === 'over' && this.newer[id]?.revision) || this.#bases[id];
			if (base) revisions[id] = base;
		}
		try {
			const { definitions, changes } = await pushDefinitions(joined(parts), revisions, how === 'merge');
			const merged = (d: { kind: string; name: string }) =>
				changes?.find((c) => c.kind === d.kind && c.name === d.name)?.merged;
			const kept = parts.map((p) => ({ ...p, text: merged(p) || p.text }));
			const here = this.parts === parts;
			for (const d of definitions ?? [])
				// What was typed meanwhile is merged with the next.
				if (here || !merged(d)) this.#bases[`${d.kind} ${d.name}`] = d.revision ?? 0;
			this.saved = joined(kept);
			if (here) this.take(kept);
			if (how) this.check(); // what was refused is no problem any more
			this.newer = {};
			this.#keep();
			return true;
		} catch (e) {
			const ids = parts.map((p) => `${p.kind} ${p.name}`);
			this.newer = Object.fromEntries(
				newerIn(e).flatMap((n) => ids.filter((id) => n.field.startsWith(id)).map((id) => [id, n] as const)),
			);
			this.unsaved = 'Not saved: ' + messageOf(e);
			if (e instanceof Refusal && this.found) this.found = { ...this.found, problems: e.problems };
			return false;
		}
	}

	close() {
		this.#key = '';
		clearTimeout(this.#timer);
		this.#abort?.abort();
	}
}
