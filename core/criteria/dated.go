package criteria

// IsPeriod tells whether an operand is a stretch of time, whatever the answers.
func IsPeriod(e Expr) bool {
	switch e := e.(type) {
	case *Text:
		return e.Period != nil
	case *Span:
		return true
	case *Parameter:
		return e.Question.Type == Period || e.Question.Type.IsDate()
	case *Arithmetic:
		_, moved := e.Right.(*Length)
		return moved && IsPeriod(e.Left)
	}
	return false
}

// DateColumn is the column of the first condition that compares a date with a
// period that was asked for, or else with a written one.
func DateColumn(e Expr) *Column {
	var asked, written *Column
	WalkOwn(e, func(e Expr) {
		if _, listed := e.(*In); listed || !IsComparison(e) || HasAggregate(e) {
			return
		}
		column := FirstColumn(e)
		if column == nil || !column.Ref.Column.Type.IsDate() {
			return
		}
		for side := range Children(e) {
			switch {
			case !IsPeriod(side):
			case AsksAny(side) && asked == nil:
				asked = column
			case !AsksAny(side) && written == nil:
				written = column
			}
		}
	})
	if asked != nil {
		return asked
	}
	return written
}
