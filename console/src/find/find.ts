// What can be found from everywhere: overviews, reports, drafts, runs and tables.
import { account } from '../lib/account.svelte';
import {
	listCalendars,
	listDefinitions,
	listOverviews,
	listReports,
	listRuns,
	listSchedules,
	listSources,
	showSource,
	type ReportInfo,
} from '../lib/api';
import { draftAddress, reportAddress } from '../lib/link';

export type Entry = { kind: string; title: string; about: string; address: string; text: string };

const entry = (kind: string, title: string, about: string, address: string, more = ''): Entry => ({
	kind,
	title,
	about,
	address,
	text: [title, about, kind, more].join(' ').toLowerCase(),
});

/** Everything of each kind; a kind that cannot be read is left out, unless none can. */
export async function everything(signal: AbortSignal): Promise<Entry[]> {
	const tables = async () => {
		if (!account.authors) return [];
		const sources = await listSources(signal);
		const read = await Promise.allSettled(sources.map((s) => showSource(s.name, signal)));
		return read.flatMap((r) =>
			r.status === 'rejected'
				? []
				: (r.value.tables ?? []).map((t) =>
						entry(
							t.view ? 'View' : 'Table',
							t.name,
							r.value.name,
							`/sources/${encodeURIComponent(r.value.name)}/${encodeURIComponent(t.name)}`,
							(t.columns ?? []).map((c) => c.name).join(' '),
						),
					),
		);
	};
	const run = (kind: string, overview: boolean) => (list: ReportInfo[]) =>
		list.map((r) =>
			entry(
				kind,
				r.title,
				r.about ?? '',
				reportAddress({ report: r.name, draft: false, overview }),
				[r.name, ...(r.tags ?? [])].join(' '),
			),
		);
	const parts = await Promise.allSettled([
		listReports(signal).then(run('Report', false)),
		listOverviews(signal).then(run('Overview', true)),
		(account.authors ? listDefinitions(signal) : Promise.resolve([])).then((list) =>
			list.map((d) => entry('Draft', d.title || d.name, `${d.kind} ${d.name}`, draftAddress(d.kind, d.name))),
		),
		tables(),
		listCalendars(signal).then((list) =>
			list.map((c) => entry('Calendar', c.title, c.about ?? '', `/calendars/${encodeURIComponent(c.name)}`, c.name)),
		),
		listSchedules(true, signal).then((list) =>
			list.map((s) =>
				entry('Schedule', s.title, s.when, `/schedules/${encodeURIComponent(s.name)}`, s.name + ' ' + s.report),
			),
		),
		listRuns({}, 200, signal).then((list) =>
			list.map((r) => entry('Run', `Run ${r.run}`, r.readback || r.report, `/runs/${r.run}`, r.report)),
		),
	]);
	const failed = parts.find((p) => p.status === 'rejected');
	const found = parts.flatMap((p) => (p.status === 'fulfilled' ? p.value : []));
	if (failed && found.length === 0) throw failed.reason;
	return found;
}

/** Those in which every word, or part of a word, occurs: first where a title begins with it. */
export function matching(entries: Entry[], search: string, most: number): Entry[] {
	const words = search.toLowerCase().split(/\s+/).filter(Boolean);
	const rank = (e: Entry) => {
		const title = e.title.toLowerCase();
		return words.reduce((sum, w) => sum + (title.startsWith(w) ? 0 : title.includes(w) ? 1 : 3), 0);
	};
	return entries
		.filter((e) => words.every((w) => e.text.includes(w)))
		.map((e, i) => ({ e, i, rank: rank(e) }))
		.sort((a, b) => a.rank - b.rank || a.i - b.i)
		.slice(0, most)
		.map(({ e }) => e);
}
