// Pictures that the service draws.

/** Reads a picture. What is no picture is an error, and never becomes part of the page. */
export function pictureOf(text: string): SVGSVGElement {
	const root = new DOMParser().parseFromString(text, 'image/svg+xml').documentElement;
	if (root.localName !== 'svg') throw new Error('The service sent something that is no picture.');
	return document.importNode(root, true) as unknown as SVGSVGElement;
}
