package criteria

// Map makes a copy of the expression in which every node is what change makes
// of it, from the leaves up.
func Map(e Expr, change func(Expr) Expr) Expr { return mapped(e, change, false) }

// MapOwn is Map which leaves what is asked of the records of other tables as it is.
func MapOwn(e Expr, change func(Expr) Expr) Expr { return mapped(e, change, true) }

// Replace is Map which changes the nodes of which something holds; where it holds of none, it
// gives the expression itself.
func Replace(e Expr, is func(Expr) bool, change func(Expr) Expr) Expr {
	return replaced(e, is, change, false)
}

// ReplaceOwn is Replace which leaves what is asked of the records of other tables as it is.
func ReplaceOwn(e Expr, is func(Expr) bool, change func(Expr) Expr) Expr {
	return replaced(e, is, change, true)
}

func replaced(e Expr, is func(Expr) bool, change func(Expr) Expr, own bool) Expr {
	if !Any(e, is) {
		return e
	}
	return mapped(e, func(e Expr) Expr {
		if is(e) {
			return change(e)
		}
		return e
	}, own)
}

func mapped(e Expr, change func(Expr) Expr, own bool) Expr {
	if e == nil {
		return nil
	}
	if own && RecordsOf(e) != nil {
		return change(e)
	}
	one := func(e Expr) Expr { return mapped(e, change, own) }
	all := func(list []Expr) []Expr {
		made := make([]Expr, len(list))
		for i, item := range list {
			made[i] = one(item)
		}
		return made
	}
	switch n := e.(type) {
	case *Call:
		e = &Call{n.Pos, n.Name, all(n.Args), n.Type}
	case *UnitOf:
		e = &UnitOf{n.Pos, n.Unit, one(n.X)}
	case *Aggregate:
		made := &Aggregate{n.Pos, n.Name, n.Percent, one(n.X), one(n.Where), nil}
		if n.Records != nil {
			records := *n.Records
			records.Where = one(records.Where)
			made.Records = &records
		}
		e = made
	case *InOrder:
		e = &InOrder{n.Pos, n.Name, one(n.X), n.Ascending, all(n.By)}
	case *First:
		e = &First{n.Pos, n.Which, one(n.N), one(n.Of), all(n.By)}
	case *Arithmetic:
		e = &Arithmetic{n.Pos, n.Op, one(n.Left), one(n.Right), n.Type}
	case *Negative:
		e = &Negative{n.Pos, one(n.X)}
	case *Compare:
		e = &Compare{n.Pos, n.Op, one(n.Left), one(n.Right), n.Fold}
	case *Match:
		e = &Match{n.Pos, n.Op, one(n.X), one(n.Y), n.Not, n.Fold}
	case *Spans:
		e = &Spans{n.Pos, n.Op, one(n.From), one(n.Until), one(n.Period), n.Not}
	case *Meets:
		e = &Meets{n.Pos, n.Name, n.Of, n.Title, one(n.X)}
	case *Related:
		made := *n
		made.N, made.Where = one(n.N), one(n.Where)
		e = &made
	case *Between:
		e = &Between{n.Pos, one(n.X), one(n.Low), one(n.High), n.Not}
	case *In:
		e = &In{n.Pos, one(n.X), all(n.Items), n.Not, n.Fold}
	case *Within:
		e = &Within{n.Pos, one(n.X), one(n.Period), n.Not}
	case *IsBlank:
		e = &IsBlank{n.Pos, one(n.X), n.Not}
	case *Logic:
		e = &Logic{n.Pos, n.Or, all(n.Terms)}
	case *Not:
		e = &Not{n.Pos, one(n.X)}
	case *Guarded:
		e = &Guarded{n.Pos, one(n.X), one(n.Where)}
	}
	return change(e)
}

// Relocate makes every node of the expression stand at one place, that of what
// it was written for.
func Relocate(e Expr, at Pos) {
	Walk(e, func(e Expr) {
		if p, ok := e.(interface{ moveTo(at Pos) }); ok {
			p.moveTo(at)
		}
	})
}

func (p *Pos) moveTo(at Pos) { *p = at }
