package criteria

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Units are the units of the calendar by their words.
var Units = map[string]civil.Unit{
	"day": civil.Day, "week": civil.Week, "month": civil.Month,
	"quarter": civil.Quarter, "half": civil.Half, "year": civil.Year,
}

// operand is what a function takes in one place.
type operand uint8

const (
	anyValue operand = iota
	aDate
	aNumber
	aText
	aUnit
	aCondition
	aMoment // a date-time
	aWhole  // a whole number
	aPlace  // a whole number that is written, from 1 on
	aMark   // a text that is written
	alike   // of the type of the first such operand
)

// function is one function: what it takes and what it makes. The last operand
// of one that is many can be repeated.
type function struct {
	name  string
	takes []operand
	// least is how many are needed, many allows any number more.
	least int
	many  bool
	// makes is the type of the result; empty means that of the alike ones.
	makes catalog.Type
	about string
}

// functions is every function. A new one is a row here, a case in package
// plan's Formula and one in each dialect.
var functions = []function{
	{"year", []operand{aDate}, 1, false, catalog.Integer, "2026 of a day in 2026"},
	{"quarter", []operand{aDate}, 1, false, catalog.Integer, "1 to 4"},
	{"month", []operand{aDate}, 1, false, catalog.Integer, "1 to 12"},
	{"week", []operand{aDate}, 1, false, catalog.Integer, "the ISO 8601 week, 1 to 53"},
	{"day", []operand{aDate}, 1, false, catalog.Integer, "the day of the month"},
	{"weekday", []operand{aDate}, 1, false, catalog.Integer, "1 for Monday to 7 for Sunday"},
	{"date_of", []operand{aDate}, 1, false, catalog.Date, "the day of a date-time"},
	{"is_working_day", []operand{aDate}, 1, false, catalog.Boolean, "whether the day is worked, by the calendar"},
	{"is_holiday", []operand{aDate}, 1, false, catalog.Boolean, "whether the day is a holiday of the calendar"},
	{"working_days", []operand{aDate, aDate}, 2, false, catalog.Integer, "the working days after the first day through the second"},
	{"start_of", []operand{aUnit, aDate}, 2, false, catalog.Date, "the first day of the day's week, month, quarter, half or year"},
	{"lower", []operand{aText}, 1, false, catalog.Text, "in small letters"},
	{"upper", []operand{aText}, 1, false, catalog.Text, "in capitals"},
	{"trim", []operand{aText}, 1, false, catalog.Text, "without blanks at both ends"},
	{"length", []operand{aText}, 1, false, catalog.Integer, "how many characters"},
	{"concat", []operand{aText}, 1, true, catalog.Text, "joined; blank if any is"},
	{"part", []operand{aText, aPlace, aPlace}, 2, false, catalog.Text, "its characters from the one at a place on, so many or all"},
	{"position", []operand{aText, aText}, 2, false, catalog.Integer, "at which character another text begins in it, 0 where it does not"},
	{"replace", []operand{aText, aMark, aText}, 3, false, catalog.Text, "with another text wherever one stands in it"},
	{"split", []operand{aText, aMark, aPlace}, 3, false, catalog.Text, "the first, second … part between separators; blank where there are fewer"},
	{"pad_left", []operand{aText, aPlace, aMark}, 3, false, catalog.Text, "with a character before it until it has so many"},
	{"pad_right", []operand{aText, aPlace, aMark}, 3, false, catalog.Text, "with a character after it until it has so many"},
	{"text_of", []operand{aWhole}, 1, false, catalog.Text, "a whole number as a text"},
	{"number_of", []operand{aText, aMark}, 1, false, catalog.Decimal, "a text as a number, whose decimal mark is '.' or ','; blank where it is none"},
	{"date_in", []operand{aText, aMark}, 2, false, "", "the date that a column of texts holds in a layout, such as 'D.M.Y'"},
	{"hour", []operand{aMoment}, 1, false, catalog.Integer, "0 to 23"},
	{"minute", []operand{aMoment}, 1, false, catalog.Integer, "0 to 59"},
	{"time_of", []operand{aMoment}, 1, false, catalog.Text, "the time of day, to the minute: 08:30"},
	{"hours_between", []operand{aMoment, aMoment}, 2, false, catalog.Decimal, "the hours from one date-time to another"},
	{"minutes_between", []operand{aMoment, aMoment}, 2, false, catalog.Decimal, "the minutes from one date-time to another"},
	{"days_after", []operand{aDate, aWhole}, 2, false, "", "a date moved by so many days, which a column may give: issued_on + term days"},
	{"coalesce", []operand{alike}, 1, true, "", "the first that is not blank"},
	{"round", []operand{aNumber, aNumber}, 1, false, catalog.Decimal, "to so many places (none); halves away from zero"},
	{"abs", []operand{aNumber}, 1, false, catalog.Decimal, "without its sign"},
	{"floor", []operand{aNumber}, 1, false, catalog.Integer, "the whole number at or below"},
	{"ceil", []operand{aNumber}, 1, false, catalog.Integer, "the whole number at or above"},
	{"if", []operand{aCondition, alike, alike}, 3, false, "", "the second where the condition is met, else the third"},
}

// FunctionNames lists the functions.
func FunctionNames() []string {
	names := make([]string, len(functions))
	for i, f := range functions {
		names[i] = f.name
	}
	return names
}

// call checks a function and gives the type it makes.
func (r *resolver) call(e *Call) catalog.Type {
	at := slices.IndexFunc(functions, func(f function) bool { return f.name == e.Name })
	if at < 0 {
		hint := diag.DidYouMean(e.Name, FunctionNames())
		if a := advice[e.Name]; a != "" {
			hint = a
		}
		if hint == "" {
			hint = "There are " + strings.Join(FunctionNames(), ", ") + "."
		}
		r.fail(e.At(), "unknown_function", "There is no function "+e.Name+".", hint)
		for _, arg := range e.Args {
			r.typeOf(arg)
		}
		return unknownType
	}
	f := functions[at]
	if n := len(e.Args); n < f.least || n > len(f.takes) && !f.many {
		r.fail(e.At(), "wrong_count", fmt.Sprintf("%s takes %s, not %d.", f.name, f.count(), n), "It gives "+f.about+".")
		return unknownType
	}
	common, first, choice := unknownType, unknownType, false
	for i, arg := range e.Args {
		kind := f.takes[min(i, len(f.takes)-1)]
		if kind == aUnit {
			r.unit(arg)
			continue
		}
		if kind == aCondition {
			r.condition(arg)
			continue
		}
		if _, blank := arg.(*Blank); blank && kind == alike {
			continue
		}
		choice = true
		if kind == aPlace || kind == aMark {
			r.written(f, i, kind, arg)
			continue
		}
		r.noBlank(arg)
		t := r.typeOf(arg)
		if negative, ok := arg.(*Negative); ok && kind == aWhole {
			t = TypeOf(negative.X)
		}
		if i == 0 {
			first = t
		}
		switch {
		case t == unknownType:
		case kind == aDate && !t.IsDate():
			r.fail(arg.At(), "type_mismatch", f.name+" needs a date; this is "+t.WithArticle()+".", "")
		case kind == aNumber && !t.IsNumber():
			r.fail(arg.At(), "type_mismatch", f.name+" needs a number; this is "+t.WithArticle()+".", "")
		case kind == aMoment && t != catalog.DateTime:
			r.fail(arg.At(), "type_mismatch", f.name+" needs a date-time; this is "+t.WithArticle()+".", "")
		case kind == aWhole && t != catalog.Integer:
			r.fail(arg.At(), "type_mismatch", f.name+" needs a whole number; this is "+t.WithArticle()+".", "Write floor(…) to have one.")
		case kind == aText && t != catalog.Text:
			r.fail(arg.At(), "type_mismatch", f.name+" needs a text; this is "+t.WithArticle()+".", "")
		case kind == alike && common == unknownType:
			common = t
		case kind == alike && t.IsNumber() && common.IsNumber():
			common = catalog.Decimal
		case kind == alike && t.IsDate() && common.IsDate() && t != common:
			r.fail(arg.At(), "type_mismatch", fmt.Sprintf("%s stands beside %s here.", capital(t.WithArticle()), common.WithArticle()), "Write date_of(…) to have days of both.")
		case kind == alike && t != common:
			r.fail(arg.At(), "type_mismatch", fmt.Sprintf("%s cannot stand beside %s here.", capital(t.WithArticle()), common.WithArticle()), "")
		}
		if kind == alike && t == Period {
			r.fail(arg.At(), "type_mismatch", "A period is not one value.", "")
		}
		if number, ok := arg.(*Number); f.name == "round" && i == 1 && (!ok || !number.Value.IsInteger() || number.Value.IntPart() < 0 || number.Value.IntPart() > maxPlaces) {
			r.fail(arg.At(), "bad_number", "The places are a whole number from 0 to 12.", "Write round(x, 2).")
		}
	}
	if !choice {
		r.fail(e.At(), "blank_alone", f.name+" has only blanks to choose from.", "Give a value as well.")
	}
	switch {
	case f.name == "date_in":
		return r.dateIn(e)
	case f.name == "days_after":
		return first
	case f.makes == "":
		return common
	}
	return f.makes
}

// written checks an operand that has to be written there.
func (r *resolver) written(f function, i int, kind operand, arg Expr) {
	r.typeOf(arg)
	number, isNumber := arg.(*Number)
	text, isText := arg.(*Text)
	switch {
	case kind == aPlace && (!isNumber || !number.Value.IsInteger() || number.Value.Sign() <= 0 || number.Value.GreaterThan(decimal.New(mostCharacters, 0))):
		r.fail(arg.At(), "bad_number", f.name+" needs a whole number from 1 to 10000 that is written here.", "Write "+f.name+"(…, 3).")
	case kind == aMark && (!isText || text.Value == ""):
		r.fail(arg.At(), "bad_text", f.name+" needs a text that is written here, of at least one character.", "Write it in quotes: '-'.")
	case kind == aMark && strings.HasPrefix(f.name, "pad_") && utf8.RuneCountInString(text.Value) != 1:
		r.fail(arg.At(), "bad_text", f.name+" needs one character.", "Write "+f.name+"(…, 8, '0').")
	case f.name == "number_of" && kind == aMark && text.Value != "." && text.Value != ",":
		r.fail(arg.At(), "bad_text", "The decimal mark is '.' or ','.", "Write number_of(…, ',').")
	case f.name == "split" && kind == aMark && overlaps(text.Value):
		r.fail(arg.At(), "bad_text", "Where a separator ends as it begins, it cannot be told where one ends.", "Write a shorter one.")
	}
}

// mostCharacters is how far places in a text go.
const mostCharacters = 10_000

// overlaps tells whether a text can begin within itself.
func overlaps(text string) bool {
	for i := 1; i < len(text); i++ {
		if strings.HasPrefix(text, text[i:]) {
			return true
		}
	}
	return false
}

// dateIn has the column of texts be one with dates, as the layout has them.
func (r *resolver) dateIn(e *Call) catalog.Type {
	layout, ok := e.Args[1].(*Text)
	if !ok {
		return unknownType // told
	}
	encoding := catalog.Encoding(layout.Value)
	if err := encoding.Check(); err != nil || !encoding.IsLayout() && encoding != catalog.EncISODate && encoding != catalog.EncISOLocal && encoding != catalog.EncYMD {
		message := "This is no layout of dates in texts."
		if err != nil {
			message = capital(err.Error()) + "."
		}
		r.fail(layout.At(), "bad_layout", message, "Write a layout such as 'D.M.Y' or 'Y-MM-DD hh:m', or iso-date, iso-local or ymd.")
		return unknownType
	}
	column, ok := e.Args[0].(*Column)
	if !ok {
		r.fail(e.Args[0].At(), "type_mismatch", "date_in needs a column.", "Write date_in(paid, 'D.M.Y').")
		return unknownType
	}
	dated := *column.Ref.Column
	dated.Type, dated.Stored, dated.Encoding, dated.Shape, dated.Whole = encoding.Type(), catalog.Text, encoding, "", false
	column.Ref.Column = &dated
	return encoding.Type()
}

// maxPlaces is how many places round can keep.
const maxPlaces = 12

func (f function) count() string {
	switch {
	case f.many:
		return fmt.Sprintf("%d or more values", f.least)
	case f.least == len(f.takes) && f.least == 1:
		return "one value"
	case f.least == len(f.takes):
		return fmt.Sprintf("%d values", f.least)
	}
	return fmt.Sprintf("%d or %d values", f.least, len(f.takes))
}

func (r *resolver) unit(arg Expr) {
	if t, ok := arg.(*Text); !ok || Units[t.Value] == 0 {
		r.fail(arg.At(), "unknown_unit", "This is not a unit of time.", "Write start_of(month, …), or day, week, quarter, half, year.")
	}
}

// TypeOf is the type of a resolved expression.
func TypeOf(e Expr) catalog.Type {
	switch e := e.(type) {
	case *Column:
		return e.Ref.Column.Type
	case *Parameter:
		return e.Question.Type
	case *Number:
		if e.Value.IsInteger() {
			return catalog.Integer
		}
		return catalog.Decimal
	case *Text:
		if e.Period != nil {
			return Period
		}
		return catalog.Text
	case *UnitOf:
		return catalog.Text
	case *Span:
		if e.Type != "" {
			return e.Type
		}
		return Period
	case *Length:
		return LengthOfTime
	case *Blank:
		return unknownType
	case *Negative:
		return catalog.Decimal
	case *Arithmetic:
		return e.Type
	case *Aggregate:
		return e.typeOf(TypeOf)
	case *InOrder:
		if e.X == nil {
			return catalog.Integer
		}
		return e.typeOf(TypeOf(e.X))
	case *Call:
		return e.Type
	}
	return catalog.Boolean
}

func (e *Aggregate) typeOf(inner func(Expr) catalog.Type) catalog.Type {
	if e.X == nil || e.Name == "count distinct" {
		return catalog.Integer
	}
	t := inner(e.X)
	if e.Name == "average" || e.Name == "median" && t.IsNumber() {
		return catalog.Decimal
	}
	return t
}

// ShownPlaces is how many decimal places a value is shown with that was divided, and
// carried how many a division has on the way there, so that what is done with it
// afterwards does not show that it was cut.
const (
	ShownPlaces = 12
	carried     = 24
)

// Calculate works out x op y exactly, a division to more than is shown of it; false
// for a division by zero.
func Calculate(op byte, x, y decimal.Decimal) (decimal.Decimal, bool) {
	switch op {
	case '+':
		return x.Add(y), true
	case '-':
		return x.Sub(y), true
	case '*':
		return x.Mul(y), true
	}
	if y.IsZero() {
		return decimal.Decimal{}, false
	}
	return x.DivRound(y, carried), true
}

// Usage is how a function is written, and what it gives.
type Usage struct{ Usage, About string }

// Functions lists how each function is written.
func Functions() []Usage {
	operands := map[operand]string{anyValue: "value", aDate: "date", aNumber: "number", aText: "text", aUnit: "unit", aCondition: "condition", aMoment: "date-time", aWhole: "number", aPlace: "number", aMark: "text", alike: "value"}
	out := make([]Usage, len(functions))
	for i, f := range functions {
		var takes []string
		for _, kind := range f.takes {
			takes = append(takes, operands[kind])
		}
		if f.many {
			takes = append(takes, "…")
		}
		out[i] = Usage{f.name + "(" + strings.Join(takes, ", ") + ")", f.about}
	}
	return out
}

// Words are the words of the language besides names, as they are written
// together.
var Words = []string{
	"and", "or", "not", "within", "in", "between", "is blank", "is not blank", "contains", "starts with", "ends with", "matches", "ignoring case",
	"overlaps", "inside", "covers", "meets", "any", "no", "at least", "at most", "exactly", "where", "day of", "week of", "month of", "quarter of", "half of", "year of",
	"count", "count of", "count where", "first 10 by", "greatest 10 of", "least 10 of", "running sum of", "running count", "previous", "rank of", "share of", "sum of", "average of", "least of", "greatest of", "count distinct of",
}
