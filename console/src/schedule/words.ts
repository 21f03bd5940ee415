// How schedules are said to people.
import type { Answer, ScheduleInfo } from '../lib/api';

/** The states of occurrences and deliveries. */
const states: Record<string, string> = {
	due: 'Due',
	running: 'Running',
	retrying: 'Trying again',
	delivered: 'Delivered',
	partly_delivered: 'Partly delivered',
	nothing_to_send: 'Nothing to send',
	failed: 'Failed',
	missed: 'Missed',
	skipped: 'Skipped',
	cancelled: 'Cancelled',
	waiting: 'Waiting',
	ready: 'Ready',
	sending: 'On its way',
};
export const stateText = (state: string) => states[state] ?? state;

/** How a state is marked: good, bad, or neither. */
export const toneOf = (state: string) =>
	['failed', 'partly_delivered', 'missed'].includes(state)
		? 'bad'
		: state === 'retrying'
			? 'warn'
			: state === 'delivered'
				? 'good'
				: '';

const day = new Intl.DateTimeFormat(navigator.language, {
	...{ weekday: 'short', day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' },
});

/** A time on the clock of a zone, as it is written with its offset: Mon 30 Nov 2026, 07:00. */
export function dueText(at: string): string {
	const date = new Date(at.slice(0, 10) + 'T00:00Z');
	return Number.isNaN(date.valueOf()) ? at : `${day.format(date)}, ${at.slice(11, 16)}`;
}

/** An instant on the clock of a zone, in the same way. */
export function instantIn(iso: string, zone: string): string {
	const parts = new Intl.DateTimeFormat('en-GB', {
		...{ year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit', timeZone: zone },
	}).formatToParts(new Date(iso));
	const of = (type: string) => parts.find((p) => p.type === type)?.value ?? '';
	return dueText(`${of('year')}-${of('month')}-${of('day')}T${of('hour')}:${of('minute')}`);
}

export const nextText = (s: ScheduleInfo) => (s.paused ? 'Paused' : s.next ? instantIn(s.next, s.zone) : 'Never again');

/** What the answers mean that say something. */
export const meantOf = (answers: Answer[] | null) =>
	(answers ?? [])
		.filter((a) => a.given && a.readback)
		.map((a) => ({ label: a.label.replace(/\?$/, ''), text: a.readback! }));

/** Where a delivery goes, in words. */
export const wayText = (way: string) =>
	({ folder: 'File', mail: 'Mail', web: 'Web address', keep: 'Kept as the table' })[way] ?? way;

export const weekdays = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];

/** How often something comes, as it is chosen from a list. */
export type Often = 'day' | 'working day' | 'week' | 'month' | 'first working day' | 'words';

/** The rule that the choices make. */
export function ruleOf(often: Often, weekday: string, dayOfMonth: string, clock: string): string {
	const at = ' at ' + clock;
	switch (often) {
		case 'day':
			return 'every day' + at;
		case 'working day':
			return 'every working day' + at;
		case 'week':
			return 'every ' + weekday + at;
		case 'month':
			return `on the ${dayOfMonth} day of every month` + at;
		case 'first working day':
			return 'on the first working day of every month' + at;
		case 'words':
			return '';
	}
}
