package definition

import (
	"encoding/json"
	"reflect"
)

// Schema is the JSON Schema (2020-12) of a definition, for editors that
// complete and check YAML.
func Schema() ([]byte, error) {
	var shapes []any
	for _, kind := range kindNames {
		shape := schemaOf(reflect.TypeOf(kinds[kind]()).Elem())
		shape["title"] = kind
		shape["properties"].(map[string]any)["kind"] = map[string]any{"const": kind, "description": "What is defined"}
		shapes = append(shapes, shape)
	}
	return json.MarshalIndent(map[string]any{
		"$schema":     "https://json-schema.org/draft/2020-12/schema",
		"title":       "Pike Gate definition",
		"description": "One document of a definition file: a query or a report.",
		"oneOf":       shapes,
	}, "", "  ")
}

func schemaOf(t reflect.Type) map[string]any {
	var whole map[string]any
	switch t.Kind() {
	case reflect.Bool:
		whole = map[string]any{"type": "boolean"}
	case reflect.Slice:
		whole = map[string]any{"type": "array", "items": schemaOf(t.Elem())}
	case reflect.Map:
		whole = map[string]any{"type": "object", "additionalProperties": schemaOf(t.Elem())}
	case reflect.Struct:
		if t == textType || t == plainType {
			return textSchema()
		}
		whole = structSchema(t)
	default:
		return textSchema()
	}
	pointer := reflect.New(t).Interface()
	if _, ok := pointer.(keyed); ok {
		whole = map[string]any{"type": "object", "minProperties": 1, "maxProperties": 1, "additionalProperties": whole}
	}
	forms := []any{whole}
	if _, ok := pointer.(alone); ok {
		forms = append([]any{schemaOf(t.Elem())}, forms...)
	}
	if _, ok := pointer.(listed); ok {
		forms = append([]any{schemaOf(reflect.TypeFor[[]string]())}, forms...)
	}
	if _, ok := pointer.(shorthand); ok {
		forms = append([]any{textSchema()}, forms...)
	}
	if len(forms) > 1 {
		return map[string]any{"anyOf": forms}
	}
	return whole
}

// textSchema allows numbers and true or false too: YAML reads 2025 as a number.
func textSchema() map[string]any {
	return map[string]any{"type": []string{"string", "number", "boolean"}}
}

// structSchema keeps the order of the fields too, for forms made from it.
func structSchema(t reflect.Type) map[string]any {
	properties := map[string]any{}
	var required, order []string
	for _, f := range fieldsOf(t) {
		order = append(order, f.name)
		p := schemaOf(f.typ)
		p["description"] = f.doc
		if f.example != "" {
			p["examples"] = []any{f.example}
			if f.typ.Kind() == reflect.Slice {
				p["examples"] = []any{[]string{f.example}}
			}
		}
		if f.enum != nil {
			p = map[string]any{"enum": f.enum, "description": f.doc}
		}
		properties[f.name] = p
		if f.required {
			required = append(required, f.name)
		}
	}
	schema := map[string]any{"type": "object", "properties": properties, "additionalProperties": false, "x-order": order}
	if required != nil {
		schema["required"] = required
	}
	return schema
}
