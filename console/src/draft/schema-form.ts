// What the form needs of the JSON Schema of definitions, which the service
// makes from the very types that read them.
export type Schema = {
	title?: string;
	type?: string | string[];
	description?: string;
	examples?: unknown[];
	enum?: string[];
	properties?: Record<string, Schema>;
	required?: string[];
	items?: Schema;
	additionalProperties?: Schema | false;
	anyOf?: Schema[];
	oneOf?: Schema[];
	minProperties?: number;
	'x-order'?: string[];
};

export type Shape = 'text' | 'choice' | 'flag' | 'list' | 'fields' | 'keyed' | 'names';

/** What a value of a schema looks like; of several forms the fullest. */
export function shapeOf(schema: Schema): Shape {
	if (schema.enum) return 'choice';
	if (schema.type === 'boolean') return 'flag';
	if (schema.type === 'array') return 'list';
	if (schema.properties) return 'fields';
	if (schema.additionalProperties) return schema.minProperties ? 'keyed' : 'names';
	return 'text';
}

/** The full form of what can also be written short. */
export const full = (schema: Schema): Schema => schema.anyOf?.at(-1) ?? schema;
/** Whether it can be written as one text. */
export const isShort = (schema: Schema) => schema.anyOf !== undefined && shapeOf(schema.anyOf[0]!) === 'text';

export const orderOf = (schema: Schema): string[] => schema['x-order'] ?? Object.keys(schema.properties ?? {});

/** A field's name as people read it. */
export const spoken = (name: string) => {
	const words = name.replaceAll('_', ' ');
	return words === 'sql' ? 'SQL' : words.charAt(0).toUpperCase() + words.slice(1);
};
