// How records fall on pages of paper. Everything is in millimetres.
import type { Header } from './api';
import type { Row } from './run.svelte';

export const margin = 12;
export const lineHeight = 5;
const headHeight = 26; // title and read-back, on the first page
const footHeight = 8;
const columnsHeight = 7;

/** The most records that are laid out on pages; a file has all of them. */
export const mostPrinted = 5000;

/** Parts rows into pages; a group's last line never begins a page by itself. */
export function pagesOf(rows: Row[], paper: Header['page']): Row[][] {
	const room = paper.height - 2 * margin - footHeight - columnsHeight;
	const first = Math.floor((room - headHeight) / lineHeight);
	const other = Math.floor(room / lineHeight);
	const pages: Row[][] = [];
	for (let at = 0; at < rows.length;) {
		let end = Math.min(rows.length, at + (pages.length ? other : first));
		if (end < rows.length && !Array.isArray(rows[end]) && end - at > 2) end--;
		pages.push(rows.slice(at, end));
		at = end;
	}
	return pages;
}
