// Who is signed in. Where the service no longer knows who asks, the page asks to sign
// in over what stands there; what failed meanwhile is asked for once more then.
import type { Me } from './api';

class Account {
	/** Who is signed in; in the open state whoever is at the machine. */
	me = $state.raw<Me>();
	/** Whether the service has to know first who asks. */
	out = $state(false);
	#waiting = new Set<() => void>();

	/** Whether anybody has to sign in here at all. */
	closed = $derived(this.me?.state === 'closed' || this.out);
	authors = $derived(this.#role() === 'author' || this.#role() === 'administrator');
	administers = $derived(this.#role() === 'administrator');

	/** The role, until it is known the one of last time: so nothing moves when it is. */
	#role() {
		return this.me?.role ?? localStorage.getItem('role') ?? 'administrator';
	}

	/** A call was refused: nobody is known to have asked. */
	lost() {
		this.out = true;
	}

	/** Somebody is signed in. Where it is somebody else, nothing of before stays. */
	known(me: Me) {
		const before = this.me;
		if (before && (before.name !== me.name || before.seen_by !== me.seen_by)) {
			location.reload();
			return;
		}
		this.me = me;
		this.out = false;
		localStorage.setItem('role', me.role);
		const waiting = [...this.#waiting];
		this.#waiting.clear();
		for (const again of waiting) again();
	}

	/** Has something done when somebody is signed in again. */
	whenKnown(again: () => void) {
		this.#waiting.add(again);
	}

	/** Whether a right is held in a folder, or in one above it. */
	may(right: 'run' | 'draft' | 'publish' | 'manage', folder = ''): boolean {
		if (this.administers) return true;
		if (right !== 'run' && !this.authors) return false;
		const rights = ['run', 'draft', 'publish', 'manage'];
		for (let at = folder; ; at = at.slice(0, Math.max(at.lastIndexOf('/'), 0))) {
			const held = this.me?.folders?.[at];
			if (held && rights.indexOf(held) >= rights.indexOf(right)) return true;
			if (at === '') return false;
		}
	}

	/** What tells apart what different people may see. */
	sight = $derived(JSON.stringify([this.me?.name ?? '', this.me?.groups ?? [], this.me?.attributes ?? {}]));
}

export const account = new Account();

/** What begins the names under which drafts are kept in this browser: each user has their own. */
export const draftsOf = () => (account.me?.name ? `draft:${account.me.name}:` : 'draft:');

/** Takes away what is kept in this browser for whoever signs out. */
export function forgetDrafts() {
	const own = draftsOf();
	for (const key of Object.keys(localStorage)) if (key.startsWith(own)) localStorage.removeItem(key);
}
