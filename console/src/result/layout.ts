// How a reader has the columns of a report: their order and widths, kept in
// this browser.
export type Layout = { order: string[]; widths: Record<string, number> };

const key = (report: string) => 'columns:' + report;

export function readLayout(report: string): Layout {
	try {
		const kept = JSON.parse(localStorage.getItem(key(report)) ?? '{}') as Partial<Layout>;
		return { order: kept.order ?? [], widths: kept.widths ?? {} };
	} catch {
		return { order: [], widths: {} }; // what cannot be read is as if it were not there
	}
}

export function keepLayout(report: string, layout: Layout) {
	if (layout.order.length || Object.keys(layout.widths).length)
		localStorage.setItem(key(report), JSON.stringify(layout));
	else localStorage.removeItem(key(report));
}

/** Places in the order a reader chose; columns it does not name come after. */
export function ordered(names: string[], order: string[]): number[] {
	const place = (name: string) => (order.includes(name) ? order.indexOf(name) : order.length + names.indexOf(name));
	return names.map((_, i) => i).sort((a, b) => place(names[a]!) - place(names[b]!));
}
