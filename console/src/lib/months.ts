// How many records each of the last months of a report held when its questions
// were last looked at in this browser: a picture for the list of reports.
import type { Coverage } from './api';

const key = (report: string) => 'months:' + report;
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
