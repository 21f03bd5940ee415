package definition

import (
	"cmp"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"pikegate/core/catalog"
)

// Difference is one thing in which two versions of a definition differ.
type Difference struct {
	// Field is the path of it, as problems have it, with names for places.
	Field string `json:"field" doc:"What differs, such as parameters.period.label"`
	Words string `json:"words" doc:"The difference in a sentence"`
	Was   string `json:"was,omitempty" doc:"What stood there before"`
	Is    string `json:"is,omitempty" doc:"What stands there now"`
}

// Differences tells in words how a definition differs from an earlier version
// of it. Comments and the order of fields are no difference.
func Differences(before, after Document) []Difference {
	a, b := reflect.ValueOf(before).Elem(), reflect.ValueOf(after).Elem()
	if a.Type() != b.Type() {
		return []Difference{{Field: "kind", Words: "It is of another kind."}}
	}
	var d differ
	d.structs("", "", a, b)
	return d.found
}

type differ struct{ found []Difference }

func (d *differ) add(field, words, was, is string) {
	d.found = append(d.found, Difference{field, words, was, is})
}

// nouns name one item of each list.
var nouns = map[string]string{
	"parameters": "question", "columns": "column", "joins": "joined table", "rules": "rule", "sort": "order", "ask": "wording of",
	"groups": "group", "totals": "total", "examples": "example", "listed": "choice", "tags": "tag", "quick": "quick choice",
	"tables": "table", "set": "fixed answer to", "default": "default", "days": "stretch", "working": "working day", "deliver": "delivery",
}

// spoken are fields that are spoken of by other words than their names.
var spoken = map[string]string{
	"about": "description", "ask": "questions", "set": "fixed answers", "expect": "expectation", "as_of": "day", "rows": "number of records",
	"from": "main table", "on": "condition", "use": "shared question", "when_blank": "meaning of blank", "quick": "quick choices",
	"sort": "keys of the order", "sql": "hand-written SQL", "parameters": "questions", "refused": "expected refusal", "joins": "joined tables",
	"when": "rule", "only": "condition", "to": "recipients", "each": "question it goes through",
	"fiscal": "fiscal year", "weeks": "pattern of weeks", "year_ends": "last day", "ics": "text of the file", "periods": "named periods",
}

// of is how a field is spoken of inside what holds it.
func of(holder, name string) string {
	if words := spoken[name]; words != "" && holder != "the calendar" {
		name = words
	}
	name = strings.ReplaceAll(name, "_", " ")
	if holder == "" {
		return "the " + name
	}
	return "the " + name + " of " + holder
}

// structs compares the fields of two structs; holder says what they are.
func (d *differ) structs(path, holder string, a, b reflect.Value) {
	for _, f := range fieldsOf(a.Type()) {
		if f.name != "" {
			d.value(join(path, f.name), holder, f.name, a.FieldByIndex(f.index), b.FieldByIndex(f.index))
		}
	}
}

func (d *differ) value(path, holder, name string, a, b reflect.Value) {
	switch {
	case a.Type() == textType || a.Type() == plainType || a.Kind() == reflect.String || a.Kind() == reflect.Bool:
		d.scalar(path, of(holder, name), shownText(a), shownText(b))
	case a.Kind() == reflect.Struct && a.IsZero() != b.IsZero():
		d.appeared(path, of(holder, name), a.IsZero())
	case a.Kind() == reflect.Struct:
		d.structs(path, of(holder, name), a, b)
	case a.Kind() == reflect.Map:
		d.maps(path, holder, name, a, b)
	case a.Kind() == reflect.Slice && name == "weeks": // numbers, which are told together
		d.scalar(path, of(holder, name), joinedText(a), joinedText(b))
	case a.Kind() == reflect.Slice:
		d.lists(path, holder, name, a, b)
	}
}

// scalar compares two texts.
func (d *differ) scalar(path, what, was, is string) {
	switch {
	case strings.Join(strings.Fields(was), " ") == strings.Join(strings.Fields(is), " "):
	case was == "":
		d.add(path, capital(what)+" is new: "+quoted(is)+".", was, is)
	case is == "":
		d.add(path, capital(what)+" is gone; it was "+quoted(was)+".", was, is)
	default:
		d.add(path, capital(what)+" was "+quoted(was)+" and is now "+quoted(is)+".", was, is)
	}
}

func (d *differ) appeared(path, what string, isNew bool) {
	if isNew {
		d.add(path, capital(what)+" is new.", "", "")
	} else {
		d.add(path, capital(what)+" is gone.", "", "")
	}
}

func (d *differ) maps(path, holder, name string, a, b reflect.Value) {
	keys := map[string]bool{}
	for _, m := range []reflect.Value{a, b} {
		for _, key := range m.MapKeys() {
			keys[key.String()] = true
		}
	}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		k := reflect.ValueOf(key)
		was, is := a.MapIndex(k), b.MapIndex(k)
		what := itemOf(holder, name, key)
		switch {
		case was.IsValid() && is.IsValid() && (was.Kind() == reflect.String || was.Type() == plainType):
			d.scalar(join(path, key), what, shownText(was), shownText(is))
		case was.IsValid() && is.IsValid() && was.Type() == reflect.TypeFor[catalog.FileFormat]():
			d.structs(join(path, key), what, was, is)
		case was.IsValid() && is.IsValid() && was.Kind() == reflect.Map:
			d.maps(join(path, key), what, "days", was, is)
		case was.IsValid() && is.IsValid():
			if what = "the answer to " + quoted(key); holder != "" {
				what += " of " + holder
			}
			d.scalar(join(path, key), what, strings.Join(was.Interface().(Given).Texts, ", "), strings.Join(is.Interface().(Given).Texts, ", "))
			d.structs(join(path, key), what, was, is)
		default:
			d.appeared(join(path, key), what, is.IsValid())
		}
	}
}

// lists compares two lists item by item, items of the same name with each
// other, and says when the order is another.
func (d *differ) lists(path, holder, name string, a, b reflect.Value) {
	old, now := itemNames(a), itemNames(b)
	var kept, keptOld []string
	for i, item := range now {
		at := slices.Index(old, item)
		what := itemOf(holder, name, item)
		if at < 0 {
			d.appeared(join(path, item), what, true)
			continue
		}
		kept = append(kept, item)
		if v := b.Index(i); v.Kind() == reflect.Struct && v.Type() != textType && v.Type() != plainType {
			d.structs(join(path, item), what, a.Index(at), v)
		}
	}
	for _, item := range old {
		if slices.Contains(now, item) {
			keptOld = append(keptOld, item)
		} else {
			d.appeared(join(path, item), itemOf(holder, name, item), false)
		}
	}
	if !slices.Equal(kept, keptOld) {
		d.add(path, capital(of(holder, name))+" stand in another order: "+strings.Join(now, ", ")+".", strings.Join(old, ", "), strings.Join(now, ", "))
	}
}

// itemOf is how an item of a list is spoken of.
func itemOf(holder, list, item string) string {
	noun := nouns[list]
	if noun == "" {
		noun = strings.TrimSuffix(list, "s")
	}
	words := "the " + noun + " " + quoted(item)
	if holder != "" {
		words += " of " + holder
	}
	return words
}

// itemNames are the names of the items of a list: what they are called, or what
// they say.
func itemNames(list reflect.Value) []string {
	names := make([]string, list.Len())
	for i := range names {
		item := list.Index(i)
		names[i] = itemName(item)
		if names[i] == "" || slices.Contains(names[:i], names[i]) {
			names[i] = strings.TrimSpace(names[i] + " " + fmt.Sprint(i+1))
		}
	}
	return names
}

func itemName(item reflect.Value) string {
	switch v := item.Interface().(type) {
	case Question:
		return v.Name + v.Use
	case Join:
		return v.Alias()
	case Group:
		return v.By.Value
	case Rule:
		return v.Rule.Value
	case Choice:
		return v.Value
	case Asked:
		return v.Name
	case Column:
		return v.Name
	case CalendarHoliday:
		return cmp.Or(v.Day.Value, v.File.Value, v.Name)
	case Delivery:
		return v.Target()
	case Example:
		return ""
	}
	return shownText(item)
}

func shownText(v reflect.Value) string {
	switch v := v.Interface().(type) {
	case Text:
		return strings.TrimSpace(v.Value)
	case Plain:
		return strings.TrimSpace(v.Value)
	case bool:
		if v {
			return "yes"
		}
		return ""
	}
	return v.String()
}

// joinedText is a list in one line.
func joinedText(list reflect.Value) string {
	texts := make([]string, list.Len())
	for i := range texts {
		texts[i] = shownText(list.Index(i))
	}
	return strings.Join(texts, ", ")
}

func quoted(text string) string { return "“" + strings.Join(strings.Fields(text), " ") + "”" }

func capital(text string) string { return strings.ToUpper(text[:1]) + text[1:] }
