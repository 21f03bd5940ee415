// The answers that are saved for a report or an overview. Its page begins with some of them
// where nothing else was asked: one's own before those for all readers.
import { untrack } from 'svelte';
import { listAnswers, type Inputs, type SavedAnswers, type Target } from '../lib/api';
import { inputsQuery } from '../lib/link';
import { Loaded } from '../lib/loaded.svelte';
import type { Form } from './form.svelte';

export class SavedList {
	answers = new Loaded<SavedAnswers[]>();
	#begins = $derived.by(() => {
		const all = (this.answers.value ?? []).filter((a) => a.begins);
		return all.find((a) => !a.shared) ?? all[0];
	});
	#begun = '';

	/** Whether it is known what the page begins with. */
	get settled() {
		return this.answers.value !== undefined || this.answers.failure !== '';
	}

	/** Asks for them; the result stops asking. A draft has none. */
	open(target: Target) {
		this.answers.forget();
		if (target.draft) return;
		return this.answers.ask((signal) => listAnswers(target, signal));
	}

	/** Fills the form with those that the page begins with, once. */
	begin(target: Target, form: Form) {
		const answers = this.#begins;
		if (!answers || this.#begun === target.report) return;
		this.#begun = target.report;
		untrack(() => fillWith(form, answers));
	}
}

export const fillWith = (form: Form, answers: SavedAnswers) => form.fill(inputsQuery(answers.inputs as Inputs));
