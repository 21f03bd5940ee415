// What a page shows that the service has to be asked for. What was asked for last
// counts: what is no longer wanted is broken off, and what comes late is dropped.
import { account } from './account.svelte';
import { messageOf, Refusal } from './api';
import { connection } from './connection.svelte';

export class Loaded<T> {
	value = $state.raw<T>();
	/** Why there is nothing, or nothing newer. */
	failure = $state('');
	#abort = new AbortController();
	#last?: () => void;

	/** Asks for a value; what there was stays until it comes. The result stops asking. */
	ask(what: (signal: AbortSignal) => Promise<T>, then?: (value: T) => void): () => void {
		this.#abort.abort();
		this.#last = () => this.ask(what, then);
		const abort = (this.#abort = new AbortController());
		what(abort.signal).then(
			(value) => {
				if (abort.signal.aborted) return;
				this.value = value;
				this.failure = '';
				then?.(value);
			},
			(e) => {
				if (abort.signal.aborted) return;
				this.failure = messageOf(e);
				const again = () => {
					if (!abort.signal.aborted) this.again();
				};
				if (e instanceof Refusal && e.status === 401) account.whenKnown(again);
				else connection.whenBack(again);
			},
		);
		return () => abort.abort();
	}

	/** Asks once more for what did not come. */
	again = () => this.#last?.();

	/** Forgets the value: it is another one's. */
	forget() {
		this.value = undefined;
		this.failure = '';
	}
}
