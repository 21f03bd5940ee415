package period

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// A language is a table of phrases in a file of its own. A text that is not read in English is
// put into the order and the words of English, token by token, and read as that. So every form
// of the language of periods is there in each of them, and means the same.

// language is one besides English.
type language struct {
	// phrases are what its words, joined by a blank, stand for: words of English in their
	// order, and some that say where others go.
	phrases map[string][]word
	// longest is how many tokens the longest phrase has.
	longest int
	// spoken are its words that are worth proposing.
	spoken []string
	// order is that in which dates are written with slashes or dots.
	order civil.DateOrder
	// says is how it says a period.
	says *saying
}

// languages are those there are, by their codes of ISO 639. None of the tables has been read
// by a native speaker yet.
var languages = map[string]*language{"de": german(), "fr": french(), "es": spanish()}

// languageOf finds that of a tag such as de-AT; nil for English and for one that is not here.
func languageOf(tag string) *language {
	return languages[civil.BaseLanguage(tag)]
}

// OrderOf is the order in which dates are written in a language, none where it says none.
func OrderOf(tag string) civil.DateOrder {
	if l := languageOf(tag); l != nil {
		return l.order
	}
	return civil.OrderNone
}

// Roles that words of other languages have besides those of English.
const (
	rDrop     role = 100 + iota // an article
	rFromOf                     // from where it begins an expression, else of
	rOfArt                      // of after what has parts, else an article
	rAgoFirst                   // ago before the length: il y a 3 jours; before where no length follows
	rAfterDir                   // last, this or next after its unit: le mois dernier
	rToToday                    // to date after a unit, else to today
	rSoon                       // in before the length
)

// table makes a language of its phrases, a line each: what it is in English, and how it is
// said, with a comma between the ways. Its names of months and weekdays are phrases as well;
// where a month and a weekday are shortened alike, the month is meant.
func table(tag string, order civil.DateOrder, says *saying, lines string) *language {
	l := &language{phrases: map[string][]word{}, order: order, says: says}
	n := names(tag)
	says.months, says.weekdays = n.Months[:], n.ShortWeekdays[:]
	says.patterns = sync.OnceValue(func() *said { return patternsOf(says) })
	for i := range 7 {
		lines += strings.ToLower(fmt.Sprintf("%s: %s\n%s: %s\n", time.Weekday(i), n.ShortWeekdays[i], time.Weekday(i), n.Weekdays[i]))
	}
	for i := 1; i <= 12; i++ {
		lines += strings.ToLower(fmt.Sprintf("%s: %s, %s\n", time.Month(i), n.ShortMonths[i], n.Months[i]))
	}
	for line := range strings.Lines(lines) {
		english, said, ok := strings.Cut(strings.TrimSpace(line), ":")
		if !ok {
			continue
		}
		var words []word
		for _, w := range strings.Fields(english) {
			words = append(words, wordOf(w))
		}
		for phrase := range strings.SplitSeq(said, ",") {
			phrase = strings.TrimSpace(phrase)
			l.phrases[phrase] = words
			l.longest = max(l.longest, len(strings.Fields(phrase)))
			if utf8.RuneCountInString(phrase) > 2 && !strings.Contains(phrase, " ") {
				l.spoken = append(l.spoken, phrase)
			}
		}
	}
	return l
}

// marks are what stands for the further roles in a table.
var marks = map[string]word{
	"~": {rDrop, 0}, "from/of": {rFromOf, 0}, "of/~": {rOfArt, 0}, "ago←": {rAgoFirst, 0}, "in←": {rSoon, 0}, "to-date": {rToToday, 0},
	"→last": {rAfterDir, -1}, "→this": {rAfterDir, 0}, "→next": {rAfterDir, 1}, "day-2": {rDay, -2}, "day+2": {rDay, 2}, "er": {rOrdinal, 1},
}

// wordOf is a word of English, or a mark.
func wordOf(text string) word {
	if w, ok := marks[text]; ok {
		return w
	}
	w, ok := vocabulary[text]
	if !ok {
		panic("period: no such word: " + text) // of a table, which tests read
	}
	return w
}

// readIn reads a text in the language of the context; ok is false where nothing in it is of
// that language, and, unless it is insisted on, where all of its words are English ones.
func readIn(text string, calendar civil.Calendar, insist bool) (Span, diag.Problems, bool) {
	l := languageOf(calendar.Language)
	if l == nil || utf8.RuneCountInString(text) > MaxLength {
		return Span{}, nil, false
	}
	text = plain(text)
	expression, problems := l.says.unsaid(text)
	if len(problems) > 0 {
		return Span{}, problems, true
	}
	wasSaid := expression != text
	text = expression
	var buffer [32]token
	tokens := lex(text, buffer[:0])
	if !insist && !wasSaid && !slices.ContainsFunc(tokens, func(t token) bool { return t.kind == tWord && t.word.role == unknown }) {
		return Span{}, nil, false
	}
	tokens, some := l.translate(text, tokens)
	if !some && !wasSaid {
		return Span{}, nil, false
	}
	p := parser{text: text, tokens: tokens}
	root := p.expression()
	if len(p.problems) > 0 {
		if unknown := unknownOwn(text, p.owns, calendar.Almanac, l.spoken...); len(unknown) > 0 {
			return Span{}, unknown, true
		}
		return Span{}, p.problems, true
	}
	if unknown := unknownOwn(text, p.owns, calendar.Almanac, l.spoken...); len(unknown) > 0 {
		return Span{}, unknown, true
	}
	span, problems := Expr{text, root, p.owns}.Resolve(calendar)
	return span, problems, true
}

// translate puts tokens into words of English; some tells that there was anything to put.
func (l *language) translate(text string, tokens []token) (out []token, some bool) {
	out = make([]token, 0, len(tokens)+4)
	for i := 0; i < len(tokens); {
		words, n := l.match(text, tokens[i:])
		if t := tokens[i]; n == 0 && isOrdinalDot(tokens, i) {
			t.kind, t.word = tWord, word{rOrdinal, 1}
			out = append(out, t)
			i++
			continue
		}
		if n == 0 {
			out = append(out, tokens[i])
			i++
			continue
		}
		some = true
		first, last := tokens[i], tokens[i+n-1]
		for at, w := range words {
			t := token{kind: tWord, word: w, start: first.start, end: last.end, joined: at == 0 && first.joined && w.role == rOrdinal}
			out = append(out, t)
		}
		i += n
		// The dot of an abbreviation.
		if dot := tokens[min(i, len(tokens)-1)]; dot.is('.') && dot.joined && len(words) == 1 && (words[0].role == rMonth || words[0].role == rWeekday) {
			i++
		}
	}
	return arranged(out), some
}

// isOrdinalDot tells whether a dot makes the number before it an ordinal: 1. April.
func isOrdinalDot(tokens []token, i int) bool {
	if i == 0 || i+1 >= len(tokens) || !tokens[i].is('.') || !tokens[i].joined {
		return false
	}
	before, after := tokens[i-1], tokens[i+1]
	return before.kind == tNumber && before.digits() <= 2 && after.kind == tWord && !after.joined
}

// match finds the longest phrase at the beginning of some tokens, and how many it has.
func (l *language) match(text string, tokens []token) ([]word, int) {
	var buffer [128]byte
	key := buffer[:0]
	var found []word
	n := 0
	for i := 0; i < min(l.longest, len(tokens)); i++ {
		t := tokens[i]
		if t.kind == tEnd || t.kind == tNumber && i == 0 {
			break
		}
		if i > 0 {
			key = append(key, ' ')
		}
		for _, r := range text[t.start:t.end] {
			if r == '’' {
				r = '\''
			}
			key = utf8.AppendRune(key, unicode.ToLower(r))
		}
		if words, ok := l.phrases[string(key)]; ok {
			found, n = words, i+1
		}
	}
	return found, n
}

// arranged puts words where English has them.
func arranged(tokens []token) []token {
	out := make([]token, 0, len(tokens)+2)
	roleAt := func(i int) role {
		if i < 0 || i >= len(tokens) || tokens[i].kind != tWord {
			return unknown
		}
		return tokens[i].word.role
	}
	last := func() role {
		if len(out) == 0 || out[len(out)-1].kind != tWord {
			return unknown
		}
		return out[len(out)-1].word.role
	}
	isCount := func(i int) bool { return i < len(tokens) && tokens[i].kind == tNumber || roleAt(i) == rCount }
	units := func(i int) int { // how many tokens of a unit begin there
		switch {
		case roleAt(i) == rUnit:
			return 1
		case (roleAt(i) == rFiscal || roleAt(i) == rWorking) && (roleAt(i+1) == rUnit || roleAt(i+1) == rPeriod):
			return 2
		}
		return 0
	}
	made := func(t token, r role, value int) token {
		t.kind, t.word, t.joined = tWord, word{r, value}, false
		return t
	}
	for i := 0; i < len(tokens); i++ {
		t := tokens[i]
		switch r := roleAt(i); {
		case r == rDrop:
			continue
		case r == rTo && len(out) == 0:
			t = made(t, rThrough, 0)
		case t.kind == tNumber && roleAt(i+1) == rOrdinal && units(i+2) > 0: // 1er trimestre 2025
			n := units(i + 2)
			out = append(append(out, made(t, rNth, t.value)), tokens[i+2:i+2+n]...)
			i += 1 + n
			if year := tokens[min(i+1, len(tokens)-1)]; year.kind == tNumber && year.digits() == 4 {
				out = append(out, made(year, rOf, 0))
			}
			continue
		case r == rFromOf && (len(out) == 0 || last() == rBetween):
			if isCount(i+1) || roleAt(i+1) == rMonth || roleAt(i+1) == rWeekday || tokens[min(i+1, len(tokens)-1)].kind == tNumber {
				out = append(out, made(t, rFrom, 0))
			}
			continue
		case r == rFromOf:
			t = made(t, rOf, 0)
		case r == rOfArt:
			if l := last(); l != rUnit && l != rEdge && l != rPeriod {
				continue
			}
			t = made(t, rOf, 0)
		case r == rAgoFirst || r == rSoon:
			if n := units(i + 2); isCount(i+1) && n > 0 {
				if r == rSoon {
					out = append(out, made(t, rIn, 0))
					continue
				}
				out = append(append(out, tokens[i+1:i+2+n]...), made(t, rAgo, 0))
				i += 1 + n
				continue
			}
			t = made(t, rBefore, 0)
			if r == rSoon {
				t = made(t, rIn, 0)
			}
		case isCount(i) && (roleAt(i+1) == rDirection || roleAt(i+1) == rAfterDir) && units(i+2) > 0: // 7 derniers jours
			out = append(out, made(tokens[i+1], rDirection, tokens[i+1].word.value), t)
			i++
			continue
		case units(i) > 0 && roleAt(i+units(i)) == rAfterDir: // mois dernier
			n := units(i)
			out = append(append(out, made(tokens[i+n], rDirection, tokens[i+n].word.value)), tokens[i:i+n]...)
			i += n
			continue
		case r == rWeekday && roleAt(i+1) == rAfterDir:
			out = append(out, made(tokens[i+1], rDirection, tokens[i+1].word.value), t)
			i++
			continue
		case r == rAfterDir:
			t = made(t, rDirection, t.word.value)
		case r == rToToday:
			out = append(out, made(t, rTo, 0))
			if last := len(out) - 2; last >= 0 && out[last].kind == tWord && out[last].word.role == rUnit {
				if before := last - 1; before >= 0 && out[before].kind == tWord && out[before].word == (word{rDirection, 0}) {
					out = append(out[:before], out[last:]...)
				}
				out = append(out, made(t, rDate, 0))
			} else {
				out = append(out, made(t, rDay, 0))
			}
			continue
		}
		if l := last(); l == rEdge && t.kind == tWord && t.word.role != rOf { // Ende letzten Monats
			out = append(out, made(t, rOf, 0))
		}
		if last() == rOf && units(i) > 0 && !(i+1 < len(tokens) && isCount(i+units(i))) { // fin du mois: of this one
			out = append(out, made(t, rThe, 0))
		}
		out = append(out, t)
	}
	return out
}
