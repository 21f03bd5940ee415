package criteria_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

var (
	vessels  = catalog.Table{Name: "vessels", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "name", Type: catalog.Text}, {Name: "sister", Type: catalog.Integer, Nullable: true}}}
	passages = catalog.Table{
		Name: "passages", Columns: []catalog.Column{
			{Name: "id", Type: catalog.Integer},
			{Name: "vessel_id", Type: catalog.Integer},
			{Name: "pilot_id", Type: catalog.Integer},
			{Name: "passed_at", Type: catalog.DateTime, Encoding: catalog.EncISOInstant},
			{Name: "toll", Type: catalog.Integer},
			{Name: "no", Type: catalog.Integer},
			{Name: "any", Type: catalog.Integer},
		},
		References: []catalog.Reference{{Columns: []string{"vessel_id"}, Table: "vessels", To: []string{"id"}}},
	}
	stays = catalog.Table{
		Name: "harbour.stays", Schema: "harbour", Columns: []catalog.Column{{Name: "owner_id", Type: catalog.Integer}, {Name: "guest_id", Type: catalog.Integer}, {Name: "arrived", Type: catalog.Date, Encoding: catalog.EncDate}},
		References: []catalog.Reference{{Columns: []string{"owner_id"}, Table: "vessels", To: []string{"id"}}, {Columns: []string{"guest_id"}, Table: "vessels", To: []string{"id"}}},
	}
	gauges = catalog.Table{Name: "gauges", Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}}}
)

func ofVessels() criteria.Scope {
	source := catalog.Source{Tables: []catalog.Table{vessels, passages, stays, gauges}}
	return criteria.Scope{
		Tables:    []criteria.Table{{Alias: "vessels", Table: vessels}},
		Related:   source.Table,
		Questions: []criteria.Question{{Name: "period", Type: criteria.Period}, {Name: "n", Type: catalog.Integer}, {Name: "word", Type: catalog.Text}},
	}
}

// TestRelated: conditions on another table's records, how they are written
// canonically, and along what the records belong together; or the problem.
func TestRelated(t *testing.T) {
	for text, want := range map[string]struct{ printed, link, code string }{
		"any passages":           {link: "passages.vessel_id = vessels.id"},
		"no passages of vessels": {link: "passages.vessel_id = vessels.id"},
		"No  passages where passed_at within :period":                                    {printed: "no passages where passed_at within :period", link: "passages.vessel_id = vessels.id"},
		"at least 3 passages where toll > 500 and no = 1":                                {link: "passages.vessel_id = vessels.id"},
		"at most :n passages as p where p.toll > 500":                                    {link: "p.vessel_id = vessels.id"},
		"exactly 2 passages":                                                             {link: "passages.vessel_id = vessels.id"},
		"any passages where passages.pilot_id = vessels.id":                              {},
		"name = 'A' and any passages where toll > 1 or toll < 0":                         {printed: "name = 'A' and (any passages where toll > 1 or toll < 0)", link: "passages.vessel_id = vessels.id"},
		"(any passages where toll > 1) and name = 'A'":                                   {link: "passages.vessel_id = vessels.id"},
		"not (any passages where toll > 1)":                                              {link: "passages.vessel_id = vessels.id"},
		"any passages and name = 'A'":                                                    {link: "passages.vessel_id = vessels.id"},
		"any vessels as other where other.sister = vessels.id":                           {},
		"any harbour.stays where stays.guest_id = vessels.id and arrived within :period": {},
		"any passages where any harbour.stays where stays.owner_id = passages.pilot_id":  {link: "passages.vessel_id = vessels.id"},

		"count of passages > 3": {link: "passages.vessel_id = vessels.id"},
		"(count of passages as p of vessels where p.toll > 5) > 3":                                  {link: "p.vessel_id = vessels.id"},
		"count of passages where toll > 5 > 3":                                                      {printed: "(count of passages where toll > 5) > 3", link: "passages.vessel_id = vessels.id"},
		"sum of passages.toll > 1000":                                                               {link: "passages.vessel_id = vessels.id"},
		"sum of passages.toll where passed_at within :period >= 1000 * :n":                          {printed: "(sum of passages.toll where passed_at within :period) >= 1000 * :n", link: "passages.vessel_id = vessels.id"},
		"sum of toll from passages > 10":                                                            {link: "passages.vessel_id = vessels.id"},
		"1 + (average of p.toll + 1 from passages as p where p.no = 1) = 2":                         {link: "p.vessel_id = vessels.id"},
		"(greatest of passages.passed_at) within :period":                                           {printed: "greatest of passages.passed_at within :period", link: "passages.vessel_id = vessels.id"},
		"least of passages.passed_at of vessels is blank":                                           {link: "passages.vessel_id = vessels.id"},
		"count distinct of passages.pilot_id where toll > 1 = 2":                                    {printed: "(count distinct of passages.pilot_id where toll > 1) = 2", link: "passages.vessel_id = vessels.id"},
		"(count of harbour.stays where guest_id = vessels.id) > 1":                                  {},
		"any passages where (count of harbour.stays as h where h.guest_id = passages.pilot_id) > 1": {link: "passages.vessel_id = vessels.id"},
		"(sum of if(passages.toll > 5, passages.toll, 0) where no = 1) > 1":                         {link: "passages.vessel_id = vessels.id"},

		"sum of vessels.sister where id = 1 > 5":                   {printed: "(sum of vessels.sister where id = 1) > 5"},
		"count where name = 'A' and id > 3 > 5":                    {printed: "(count where name = 'A' and id > 3) > 5"},
		"(sum of id where no passages) - (count where id > 3) > 5": {link: "passages.vessel_id = vessels.id"},
		"count distinct of name where id in (1, 2) > 1":            {printed: "(count distinct of name where id in (1, 2)) > 1"},

		"count of gauges > 1":                       {code: "no_relation"},
		"sum of passages.vessel > 5":                {code: "unknown_column"},
		"sum of pasages.toll > 5":                   {code: "unknown_table"},
		"sum of passages.passed_at > 5":             {code: "type_mismatch"},
		"sum of toll where no = 1 > 5":              {code: "unknown_column"},
		"sum of id where count > 1 > 5":             {code: "unknown_column"},
		"(sum of id where sum of sister > 5) > 1":   {code: "nested_aggregate"},
		"sum of id where id > 5":                    {code: "type_mismatch"},
		"count where sister > 1":                    {code: "type_mismatch"},
		"count where id > 5":                        {code: "type_mismatch"},
		"(sum of id where sister) > 5":              {code: "type_mismatch"},
		"count of passages":                         {code: "type_mismatch"},
		"count of passages where toll > 5":          {code: "type_mismatch"},
		"count of passages where count of passages": {code: "twice"},
		"sum of (sum of toll) from passages > 1":    {code: "nested_aggregate"},
		"greatest of passages.passed_at > 5":        {code: "type_mismatch"},
		"count of > 5":                              {code: "unexpected"},

		"any harbour.stays":                      {code: "ambiguous_relation"},
		"any gauges":                             {code: "no_relation"},
		"any pasages":                            {code: "unknown_table"},
		"any vessels":                            {code: "twice"},
		"any passages of gauges":                 {code: "no_relation"},
		"any passages where tol > 1":             {code: "unknown_column"},
		"any passages where toll":                {code: "type_mismatch"},
		"any passages where passed_at within :n": {code: "type_mismatch"},
		"at least 1.5 passages":                  {code: "type_mismatch"},
		"at least :word passages":                {code: "type_mismatch"},
		"any passages where sum of toll > 5":     {code: "aggregate_here"},
		"at least passages":                      {code: "unexpected"},
		"any where":                              {code: "unexpected"},
		"at least 3":                             {code: "unexpected"},
	} {
		e, problems := criteria.Parse(text)
		if len(problems) == 0 {
			problems = criteria.ResolveCondition(text, e, ofVessels())
		}
		if want.code != "" {
			require.NotEmpty(t, problems, text)
			assert.Equal(t, want.code, problems[0].Code, "%s: %v", text, problems)
			continue
		}
		require.Empty(t, problems, text)
		if want.printed == "" {
			want.printed = text
		}
		printed := criteria.Print(e)
		assert.Equal(t, want.printed, printed)
		again, problems := criteria.Parse(printed)
		require.Empty(t, problems, printed)
		assert.Equal(t, printed, criteria.Print(again))
		link := ""
		criteria.WalkOwn(e, func(e criteria.Expr) {
			if r := criteria.RecordsOf(e); r != nil && r.Link != nil {
				link = criteria.Print(r.Link)
			}
		})
		assert.Equal(t, want.link, link, text)
	}
}

// TestColumnsCalledAny: the words of a relation are columns where no table follows.
func TestColumnsCalledAny(t *testing.T) {
	for _, text := range []string{"no = 5 and any > 3", "any in (1, 2)", "no is blank", "any + no > 2", "no within :period", "exactly = 1", "at = 1"} {
		e, problems := criteria.Parse(text)
		require.Empty(t, problems, text)
		criteria.Walk(e, func(e criteria.Expr) {
			_, related := e.(*criteria.Related)
			assert.False(t, related, text)
		})
	}
}

// TestOwnColumns: columns of the other table are none of the query's.
func TestOwnColumns(t *testing.T) {
	text := "name = 'A' and (any passages where toll > 1 and passed_at within :period)"
	e, problems := criteria.Parse(text)
	require.Empty(t, problems)
	require.Empty(t, criteria.ResolveCondition(text, e, ofVessels()))
	require.Len(t, criteria.Columns(e), 1)
	assert.Equal(t, "name", criteria.Columns(e)[0].Name)
	assert.Equal(t, []string{"period"}, criteria.Parameters(e))
	assert.Equal(t, "passages", criteria.RelatedTables(e)[0].Table.Name)
}

// TestColumnCalledCount: where records of another table are asked about, count is a
// column of theirs.
func TestColumnCalledCount(t *testing.T) {
	text := "count > 2 and (any passages where count > 3)"
	e, problems := criteria.Parse(text)
	require.Empty(t, problems)
	terms := criteria.Conditions(criteria.Counted(e, ofVessels()))
	assert.True(t, criteria.HasAggregate(terms[0]))
	assert.False(t, criteria.HasAggregate(terms[1]))
}
