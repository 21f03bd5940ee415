package sqltext

import (
	"slices"
	"strings"
)

// Direct is what a statement may read other than by rows(t), as far as its text tells:
// rather too much than too little.
type Direct struct {
	// Names are the names that may read a table, in lower case: all but those that only
	// come before a point, and those that rows(t) is given.
	Names []string
	// Tables are those of them that stand where tables are named, perhaps with their
	// schema before them, unless they were defined before in the statement itself.
	Tables []string
	// Unknown is what cannot be followed.
	Unknown []string
}

// DirectOf tells what a statement reads other than by rows(t).
func DirectOf(text string, flavour Flavour) Direct {
	s := splitter{text: text, flavour: flavour}
	s.split()
	s.tokens = slices.DeleteFunc(s.tokens, func(t token) bool { return t.text == "" })
	r := newReading(text, flavour, s.tokens)
	r.read()
	d := direct{reading: &r, pieces: s.pieces}
	d.define()
	return d.look()
}

type direct struct {
	*reading
	pieces []Piece
	ctes   []cte
}

// cte is a name that the statement's own "with" defines, from a token on.
type cte struct {
	name string
	from int
}

// inRows tells whether a token is the table of rows(t).
func (d *direct) inRows(t token) bool {
	return slices.ContainsFunc(d.pieces, func(p Piece) bool { return p.Kind == Rows && p.Start <= t.start && t.end <= p.End })
}

// define finds the names that "with" at the beginning defines; those of one further in
// do not hold for the whole statement and are not taken. A name holds after its query,
// and in it where that is recursive.
func (d *direct) define() {
	i := 0
	if !d.at(i).is("with") {
		return
	}
	i++
	recursive := d.at(i).is("recursive")
	if recursive {
		i++
	}
	for d.at(i).isName() {
		name := strings.ToLower(d.at(i).text)
		if i++; d.at(i).is("(") {
			i = d.closing[i] + 1
		}
		for d.at(i).is("as") || d.at(i).is("not") || d.at(i).is("materialized") {
			i++
		}
		end, closed := d.closing[i]
		if !d.at(i).is("(") || !closed {
			return
		}
		from := end
		if recursive {
			from = i
		}
		d.ctes = append(d.ctes, cte{name, from})
		if i = end + 1; !d.at(i).is(",") {
			return
		}
		i++
	}
}

func (d *direct) look() Direct {
	var out Direct
	once := func(list *[]string, name string) {
		if !slices.Contains(*list, name) {
			*list = append(*list, name)
		}
	}
	for i, t := range d.tokens {
		if t.is("table") && d.at(i+1).isName() || t.is("handler") {
			d.unknown("the command " + strings.ToUpper(t.text))
		}
		if t.kind != tName && t.kind != tWord || d.inRows(t) {
			continue
		}
		before := i - 1
		if d.at(before).is("as") {
			before--
		}
		given := before >= 0 && d.inRows(d.at(before))
		if place := d.placed[i]; place != "" && !d.at(i+1).is("(") && !slices.ContainsFunc(d.ctes, func(c cte) bool { return c.name == place && c.from < i }) {
			once(&out.Tables, place)
		}
		if !given && (!d.at(i+1).is(".") || d.schemas[i]) {
			once(&out.Names, strings.ToLower(t.text))
		}
	}
	out.Unknown = d.Reading.Unknown
	return out
}
