// Of many rows only those in view are in the page.
import { createVirtualizer } from '@tanstack/svelte-virtual';
import { untrack } from 'svelte';
import { get } from 'svelte/store';

/** The rows in view of a box that scrolls, each of a height in pixels, and some beyond. */
export function rowsInView<Row extends Element>(
	box: () => HTMLDivElement | undefined,
	count: () => number,
	height: number,
	overscan: number,
) {
	const getScrollElement = () => box() ?? null;
	const virtual = createVirtualizer<HTMLDivElement, Row>({
		count: 0,
		getScrollElement,
		estimateSize: () => height,
		overscan,
	});
	$effect(() => {
		const options = { count: count(), getScrollElement };
		untrack(() => get(virtual).setOptions(options)); // setting them changes the store itself
	});
	return virtual;
}
