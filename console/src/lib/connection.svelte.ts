// Whether the service answers. While it does not, it is asked every two seconds;
// when it answers again, what failed meanwhile is asked for once more.

const every = 2000;

class Connection {
	down = $state(false);
	#waiting = new Set<() => void>();

	/** A call got no answer. */
	lost() {
		if (this.down) return;
		this.down = true;
		const timer = setInterval(async () => {
			try {
				if (!(await fetch('healthz', { signal: AbortSignal.timeout(every) })).ok) return;
			} catch {
				return;
			}
			clearInterval(timer);
			this.back();
		}, every);
	}

	/** The service answers. */
	back() {
		if (!this.down) return;
		this.down = false;
		const waiting = [...this.#waiting];
		this.#waiting.clear();
		for (const again of waiting) again();
	}

	/** Has something done when the service answers again. */
	whenBack(again: () => void) {
		if (this.down) this.#waiting.add(again);
	}
}

export const connection = new Connection();
