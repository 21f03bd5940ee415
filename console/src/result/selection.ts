// A rectangle of cells: where it was begun, and the cell it reaches to.
export type Cursor = { row: number; column: number };
export type Selection = { anchor: Cursor; head: Cursor };

export const bounds = ({ anchor, head }: Selection) => ({
	top: Math.min(anchor.row, head.row),
	bottom: Math.max(anchor.row, head.row),
	left: Math.min(anchor.column, head.column),
	right: Math.max(anchor.column, head.column),
});

export function holds(selection: Selection | undefined, row: number, column: number): boolean {
	if (!selection) return false;
	const b = bounds(selection);
	return row >= b.top && row <= b.bottom && column >= b.left && column <= b.right;
}

/** Where a key leads from a cell; undefined for keys that lead nowhere. */
export function step(
	event: KeyboardEvent,
	at: Cursor,
	rows: number,
	columns: number,
	page: number,
): Cursor | undefined {
	const whole = event.ctrlKey || event.metaKey;
	const to = { ...at };
	switch (event.key) {
		case 'ArrowUp':
			to.row = whole ? 0 : at.row - 1;
			break;
		case 'ArrowDown':
			to.row = whole ? rows - 1 : at.row + 1;
			break;
		case 'ArrowLeft':
			to.column = whole ? 0 : at.column - 1;
			break;
		case 'ArrowRight':
			to.column = whole ? columns - 1 : at.column + 1;
			break;
		case 'PageUp':
			to.row = at.row - page;
			break;
		case 'PageDown':
			to.row = at.row + page;
			break;
		case 'Home':
			to.column = 0;
			if (whole) to.row = 0;
			break;
		case 'End':
			to.column = columns - 1;
			if (whole) to.row = rows - 1;
			break;
		default:
			return undefined;
	}
	const within = (n: number, most: number) => Math.max(0, Math.min(most, n));
	return { row: within(to.row, rows - 1), column: within(to.column, columns - 1) };
}

/** Tab-separated text; what would break the lines or cells is set apart by quotes. */
export function tabSeparated(rows: string[][]): string {
	const cell = (text: string) => (/[\t\n\r"]/.test(text) ? '"' + text.replaceAll('"', '""') + '"' : text);
	return rows.map((row) => row.map(cell).join('\t')).join('\n');
}
