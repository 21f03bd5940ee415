// The questions of a report and what is typed for them: the answers they make,
// how the service reads those, and what is wrong with them.
import { untrack } from 'svelte';
import {
	askReport,
	previewReport,
	type Inputs,
	type Preview,
	type Problem,
	type Question,
	type ReportForm,
	type Target,
} from '../lib/api';
import { fromQuery, toQuery } from '../lib/link';
import { Loaded } from '../lib/loaded.svelte';
import { countText, spanText, stampText } from '../lib/text';
import { emptyPeriod, type PeriodText } from './period';

/** How long typing rests before it is read, in milliseconds. */
const rest = 120;

/** Problems of what is merely not filled in yet. */
const waiting = ['missing', 'start_missing', 'end_missing'];

/** Whether people answer the question. */
export const isOpen = (q: Question) => q.shown !== 'stated' && !q.derive;

export class Form {
	report = new Loaded<ReportForm>();
	read = new Loaded<Preview>();
	periods = $state<Record<string, PeriodText>>({});
	texts = $state<Record<string, string[]>>({});
	/** Questions answered by nothing, though they have a default. */
	nones = $state<Record<string, boolean>>({});
	/** Whether a run was tried: from then on what is missing is told. */
	tried = $state(false);
	/** Which questions had something in their fields. */
	#had: Record<string, boolean> = {};

	questions = $derived(this.report.value?.questions ?? []);

	inputs = $derived.by(() => {
		const out: Inputs = {};
		for (const q of this.questions) {
			const given = this.#answer(q);
			if (given !== undefined) out[q.name] = given;
		}
		return out;
	});

	problems = $derived((this.read.value?.problems ?? []).filter((p) => this.tried || !waiting.includes(p.code)));
	/** Problems that belong to no question. */
	elsewhere = $derived(this.problems.filter((p) => !this.questions.some((q) => this.problemsOf(q).includes(p))));

	/** That answers need another look, and which; empty where none do. */
	inTheWay = $derived.by(() => {
		if (this.problems.length === 0) return '';
		const wrong = this.questions.filter((q) => this.problemsOf(q).length).map((q) => q.label.replace(/\?$/, ''));
		const counted = this.problems.length === 1 ? 'One answer needs' : `${this.problems.length} answers need`;
		return `${counted} another look${wrong.length ? ': ' + wrong.join(', ') : ''}.`;
	});

	/** Asks for the questions; the result stops asking. */
	open(target: Target): () => void {
		this.report.forget();
		this.read.forget();
		return this.report.ask(
			(signal) => askReport(target, signal),
			() => this.fill(''),
		);
	}

	/** Fills the fields from the part of an address after the question mark. */
	fill(query: string) {
		this.#had = {};
		({ periods: this.periods, texts: this.texts, nones: this.nones } = fromQuery(this.questions, query));
	}

	/** The part of an address that fills the fields as they are. */
	query = (sort: string[]) =>
		toQuery(this.questions, { periods: this.periods, texts: this.texts, nones: this.nones }, sort);

	/** Has the answers read once typing rests; the result stops that. */
	readSoon(target: Target): () => void {
		const asked = this.inputs;
		let stop = () => {};
		const wait = untrack(() => this.read.value) ? rest : 0; // nothing is typed yet
		const timer = setTimeout(() => (stop = this.read.ask((signal) => previewReport(target, asked, signal))), wait);
		return () => {
			clearTimeout(timer);
			stop();
		};
	}

	/** A field that is cleared is answered by nothing: its default comes back only
	 * when it is asked for. */
	noteCleared() {
		for (const q of this.questions) {
			if (!q.default?.length) continue;
			const has = this.typed(q) !== undefined;
			if (has) this.nones[q.name] = false;
			else if (this.#had[q.name]) this.nones[q.name] = true;
			this.#had[q.name] = has;
		}
	}

	/** Takes over answers in words. */
	take(answers: Record<string, string>) {
		for (const q of this.questions) {
			const text = answers[q.name];
			if (text === undefined) continue;
			if (q.kind === 'period') this.periods[q.name] = { ...emptyPeriod(), words: text };
			else this.texts[q.name] = [text];
		}
	}

	/** Problems the service told of a run stand in the place of those of the typing. */
	refuse(problems: Problem[]) {
		if (this.read.value) this.read.value = { ...this.read.value, problems };
	}

	problemsOf = (q: Question) => this.problems.filter((p) => p.field === q.name || p.field?.startsWith(q.name + '.'));
	readingOf = (q: Question) => this.read.value?.answers?.find((a) => a.name === q.name);

	/** What stands in a question's fields. */
	typed(q: Question): Inputs[string] | undefined {
		if (q.kind !== 'period') return this.texts[q.name]?.some((t) => t) ? this.texts[q.name] : undefined;
		const { start, end, words } = this.periods[q.name] ?? emptyPeriod();
		if (words) return words;
		return start || end ? { start, end } : undefined;
	}

	#answer(q: Question): Inputs[string] | undefined {
		if (!isOpen(q)) return undefined;
		return this.typed(q) ?? (this.nones[q.name] ? '' : undefined);
	}

	/** Whether a question must be answered, and what no answer means. */
	standing(q: Question): string {
		if (!isOpen(q)) return 'set by the report';
		if (q.default?.length && !this.nones[q.name]) return `${q.default.join(', ')}, if left blank`;
		if (q.required) return 'needed';
		return q.when_blank === 'match_blank' ? 'records without one, if left blank' : 'any, if left blank';
	}

	/** An answer in few words, as it stands on the line of a result. */
	slotOf(q: Question): { value: string; note: string; any: boolean } {
		const reading = this.readingOf(q);
		const name = q.label.endsWith('?') ? q.label : q.label.charAt(0).toLowerCase() + q.label.slice(1);
		if (!reading?.given) {
			const typed = this.typed(q);
			if (typed !== undefined)
				return { value: typeof typed === 'string' ? typed : 'not read yet', note: '', any: false };
			if (q.when_blank === 'match_blank') return { value: `no ${name}`, note: '', any: false };
			const noun = ['text', 'yes-no'].includes(q.kind) && !q.label.endsWith('?');
			return { value: noun ? `any ${name}` : `${q.label}${q.label.endsWith('?') ? '' : ':'} any`, note: '', any: true };
		}
		const spanned = q.kind === 'period' ? spanText(reading.from, reading.through) : '';
		const days = reading.days ? `${countText(reading.days)} ${reading.days === 1 ? 'day' : 'days'}` : '';
		return spanned ? { value: spanned, note: days, any: false } : { value: reading.readback, note: '', any: false };
	}
}

/** What an answer must keep to, said before it is typed. */
export function limitsOf(q: Question): string {
	const l = q.limits;
	const [from, to] = [stampText(q.earliest), stampText(q.latest)];
	const parts = [
		from && to ? `from ${from} through ${to}` : from ? `from ${from} on` : to ? `through ${to}` : '',
		l.longest ? `at most ${l.longest}${q.kind === 'text' ? ' characters' : ''}` : '',
		l.shortest ? `at least ${l.shortest}` : '',
		l.least ? `${l.least} or more` : '',
		l.most ? `${l.most} or less` : '',
		l.most_chosen ? `at most ${l.most_chosen} answers` : '',
		q.kind === 'period' && l.ends !== 'closed' ? 'an end may be left open' : '',
	].filter(Boolean);
	const text = parts.join(', ');
	return text && text.charAt(0).toUpperCase() + text.slice(1) + '.';
}
