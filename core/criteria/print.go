package criteria

import "strings"

// The binding strengths, loose to tight.
const (
	looseRelated = iota // its condition goes on to the end
	looseOr
	looseAnd
	looseNot
	looseCompare
	looseSum
	looseProduct
	looseSign
	closedPlace
)

// Print writes the expression canonically: parsed again it is the same tree.
func Print(e Expr) string {
	var b strings.Builder
	write(&b, e, looseRelated)
	return b.String()
}

// write writes e, in parentheses if it binds looser than the place asks for.
func write(b *strings.Builder, e Expr, place int) {
	if strength(e) < place {
		b.WriteByte('(')
		write(b, e, looseRelated)
		b.WriteByte(')')
		return
	}
	not := func(yes bool) {
		if yes {
			b.WriteString(" not")
		}
	}
	switch e := e.(type) {
	case *Column:
		if e.Table != "" {
			b.WriteString(name(e.Table) + ".")
		}
		b.WriteString(name(e.Name))
	case *Parameter:
		b.WriteString(":" + e.Name)
		if e.Part != "" {
			b.WriteString("." + e.Part)
		}
	case *Number:
		b.WriteString(e.Value.String())
	case *Text:
		b.WriteString("'" + strings.ReplaceAll(e.Value, "'", "''") + "'")
	case *Bool:
		if e.Value {
			b.WriteString("true")
		} else {
			b.WriteString("false")
		}
	case *Negative:
		b.WriteByte('-')
		write(b, e.X, looseSign+1)
	case *Blank:
		b.WriteString("blank")
	case *Span:
		b.WriteString("'" + e.Span.Canonical() + "'")
	case *Length:
		b.WriteString(e.Text)
	case *Call:
		if e.Name == "days_after" && len(e.Args) == 2 {
			by, op := e.Args[1], " + "
			if n, ok := by.(*Negative); ok {
				by, op = n.X, " - "
			}
			write(b, e.Args[0], looseSum)
			b.WriteString(op)
			if _, number := by.(*Number); number { // with it the length would be known
				b.WriteString("(" + Print(by) + ")")
			} else {
				write(b, by, looseSum+1)
			}
			b.WriteString(" days")
			return
		}
		b.WriteString(e.Name + "(")
		for i, arg := range e.Args {
			if i > 0 {
				b.WriteString(", ")
			}
			if unit, ok := arg.(*Text); ok && e.Name == "start_of" && i == 0 && Units[unit.Value] != 0 {
				b.WriteString(unit.Value)
				continue
			}
			write(b, arg, looseRelated)
		}
		b.WriteByte(')')
	case *UnitOf:
		b.WriteString(e.Unit + " of ")
		write(b, e.X, looseSign)
	case *Aggregate:
		b.WriteString(e.Made())
		if e.X != nil {
			b.WriteString(" of ")
			write(b, e.X, looseSum)
		}
		if e.Records != nil {
			switch {
			case e.X == nil:
				b.WriteString(" of ")
			case !e.Records.Inferred:
				b.WriteString(" from ")
			}
			writeRecords(b, e.Records)
		}
		writeWhere(b, e.Where)
	case *InOrder:
		b.WriteString(e.Name)
		word := " by "
		switch {
		case e.Name == "previous":
			b.WriteByte(' ')
			write(b, e.X, looseSign)
		case e.Name == "share":
			word = " in "
			fallthrough
		case e.X != nil:
			b.WriteString(" of ")
			write(b, e.X, closed(e.X, len(e.By) > 0 || e.Ascending))
		}
		if e.Ascending {
			b.WriteString(" ascending")
		}
		writeKeys(b, word, e.By)
	case *First:
		b.WriteString(e.Which + " ")
		write(b, e.N, looseSign)
		if e.Of != nil {
			b.WriteString(" of ")
			write(b, e.Of, closed(e.Of, len(e.By) > 0))
		}
		writeKeys(b, " by ", e.By)
	case *Meets:
		b.WriteString("meets " + name(e.Name))
		if e.Of != "" {
			b.WriteString(" of " + name(e.Of))
		}
	case *Related:
		b.WriteString(e.Quantity + " ")
		if e.N != nil {
			write(b, e.N, looseSign)
			b.WriteByte(' ')
		}
		writeRecords(b, &e.Records)
	case *Match:
		write(b, e.X, looseSum)
		not(e.Not)
		b.WriteString(" " + e.Op + " ")
		write(b, e.Y, looseSum)
		fold(b, e.Fold)
	case *Spans:
		b.WriteString("span(")
		write(b, e.From, looseSum)
		b.WriteString(", ")
		write(b, e.Until, looseSum)
		b.WriteByte(')')
		not(e.Not)
		b.WriteString(" " + e.Op + " ")
		write(b, e.Period, looseSum)
	case *Arithmetic:
		s := strength(e)
		write(b, e.Left, s)
		b.WriteString(" " + string(e.Op) + " ")
		write(b, e.Right, s+1)
	case *Compare:
		write(b, e.Left, looseSum)
		b.WriteString(" " + e.Op + " ")
		write(b, e.Right, looseSum)
		fold(b, e.Fold)
	case *Between:
		write(b, e.X, looseSum)
		not(e.Not)
		b.WriteString(" between ")
		write(b, e.Low, looseSum)
		b.WriteString(" and ")
		write(b, e.High, looseSum)
	case *In:
		write(b, e.X, closed(e.X, true))
		not(e.Not)
		b.WriteString(" in ")
		writeList(b, e.Items)
		fold(b, e.Fold)
	case *Within:
		write(b, e.X, looseSum)
		not(e.Not)
		b.WriteString(" within ")
		write(b, e.Period, looseSum)
	case *IsBlank:
		write(b, e.X, looseSum)
		b.WriteString(" is")
		not(e.Not)
		b.WriteString(" blank")
	case *Logic:
		word := " and "
		if e.Or {
			word = " or "
		}
		for i, t := range e.Terms {
			if i > 0 {
				b.WriteString(word)
			}
			write(b, t, strength(e)+1)
		}
	case *Not:
		b.WriteString("not ")
		write(b, e.X, looseNot)
	case *Guarded: // where it holds is not the author's writing
		write(b, e.X, place)
	}
}

func writeRecords(b *strings.Builder, r *Records) {
	if r.All {
		b.WriteString("all ")
	}
	if !r.Inferred {
		b.WriteString(tableName(r.Table))
	}
	if r.As != "" {
		b.WriteString(" as " + name(r.As))
	}
	if r.Of != "" {
		b.WriteString(" of " + tableName(r.Of))
	}
	writeWhere(b, r.Where)
}

// closed is the place of a value after which keys follow, or a list: where it ends with one
// that would take them for its own, it is put in parentheses.
func closed(e Expr, follow bool) int {
	last := e
	for last != nil {
		switch n := last.(type) {
		case *Arithmetic:
			last = n.Right
		case *Negative:
			last = n.X
		case *UnitOf:
			last = n.X
		case *Aggregate:
			last = n.X
		case *InOrder:
			if len(n.By) == 0 && follow {
				return closedPlace
			}
			return looseSum
		default:
			return looseSum
		}
	}
	return looseSum
}

// writeKeys writes what records are kept apart by.
func writeKeys(b *strings.Builder, word string, keys []Expr) {
	if len(keys) == 0 {
		return
	}
	b.WriteString(word)
	if _, list := keys[0].(*Arithmetic); len(keys) == 1 && !list {
		write(b, keys[0], looseSign)
		return
	}
	writeItems(b, keys)
}

// writeItems writes values between parentheses.
func writeItems(b *strings.Builder, items []Expr) {
	b.WriteByte('(')
	for i, item := range items {
		if i > 0 {
			b.WriteString(", ")
		}
		write(b, item, looseSum)
	}
	b.WriteByte(')')
}

func writeWhere(b *strings.Builder, condition Expr) {
	if condition != nil {
		b.WriteString(" where ")
		write(b, condition, looseRelated)
	}
}

func fold(b *strings.Builder, yes bool) {
	if yes {
		b.WriteString(" ignoring case")
	}
}

func writeList(b *strings.Builder, items []Expr) {
	if p, ok := items[0].(*Parameter); ok && len(items) == 1 && p.Part == "" {
		write(b, items[0], looseSum)
		return
	}
	writeItems(b, items)
}

func strength(e Expr) int {
	switch e := e.(type) {
	case *Logic:
		if e.Or {
			return looseOr
		}
		return looseAnd
	case *Not:
		return looseNot
	case *Related:
		if e.Where != nil {
			return looseRelated
		}
		return looseCompare
	case *Aggregate:
		if e.Where != nil || e.Records != nil && e.Records.Where != nil {
			return looseRelated
		}
		return looseSum
	case *Compare, *Between, *In, *Within, *IsBlank, *Match, *Spans, *First:
		return looseCompare
	case *InOrder:
		if e.Name == "previous" {
			return looseSign
		}
		return looseSum
	case *Arithmetic:
		if e.Op == '+' || e.Op == '-' {
			return looseSum
		}
		return looseProduct
	case *Call:
		if e.Name == "days_after" {
			return looseSum
		}
	case *Negative, *UnitOf:
		return looseSign
	case *Guarded:
		return strength(e.X)
	}
	return closedPlace
}

// tableName is the name of a table, perhaps after that of its schema.
func tableName(s string) string {
	parts := strings.Split(s, ".")
	for i, part := range parts {
		parts[i] = name(part)
	}
	return strings.Join(parts, ".")
}

// name quotes a name unless it is a plain word that is not reserved.
func name(s string) string {
	if s != "" && isNameStart(s) && nameLength(s) == len(s) && !reserved[strings.ToLower(s)] && !isoLength.MatchString(s) {
		return s
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}
