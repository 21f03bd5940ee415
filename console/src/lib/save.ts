/** Saves what the service answered with as a file of the reader's. */
export function saveAs(blob: Blob, name: string) {
	const address = URL.createObjectURL(blob);
	const anchor = document.createElement('a');
	anchor.href = address;
	anchor.download = name;
	anchor.click();
	setTimeout(() => URL.revokeObjectURL(address), 60_000);
}
