// How many records each of the last months of a report held when its questions
// were last looked at in this browser: a picture for the list of reports.
import { account } from './account.svelte';
import type { Coverage } from './api';

/** By who looks: another one may see other records. */
const key = (report: string) => `months:${account.sight}:${report}`;
const most = 12;

export function keepMonths(report: string, coverage: Coverage) {
	const counts = (coverage.units ?? []).slice(-most).map((u) => u.count);
	try {
		localStorage.setItem(key(report), JSON.stringify(counts));
	} catch {
		// no room: there is no picture then
	}
}

export function readMonths(report: string): number[] {
	try {
		const counts: unknown = JSON.parse(localStorage.getItem(key(report)) ?? '[]');
		return Array.isArray(counts) ? counts.filter((n): n is number => typeof n === 'number').slice(-most) : [];
	} catch {
		return [];
	}
}
