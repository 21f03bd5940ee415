package definition_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

func canal() *catalog.Source {
	return &catalog.Source{Tables: []catalog.Table{
		{Name: "locks", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id", Type: catalog.Integer}, {Name: "region", Type: catalog.Text}, {Name: "open", Type: catalog.Boolean}}},
		{
			Name: "passages", Columns: []catalog.Column{{Name: "lock_id", Type: catalog.Integer}, {Name: "toll", Type: catalog.Decimal}, {Name: "passed", Type: catalog.Date, Encoding: catalog.EncDate}},
			References: []catalog.Reference{{Columns: []string{"lock_id"}, Table: "locks", To: []string{"id"}}},
		},
	}}
}

// TestRowRule: what a rule asks for is told by what it is compared with, and columns of
// other tables are looked up where a foreign key leads.
func TestRowRule(t *testing.T) {
	kind := func(name string, k parameter.Kind, many bool) parameter.Parameter {
		return parameter.Parameter{Name: "user." + name, Label: "your " + name, Kind: k, Many: many, Required: true}
	}
	for _, c := range []struct {
		on, text, printed string
		asks              []parameter.Parameter
		code              string
	}{
		{"locks", "region in :user.regions", "t.region in :user.regions", []parameter.Parameter{kind("regions", parameter.Text, true)}, ""},
		{"locks", "locks.region = :user.region and id > 3", "t.region = :user.region and t.id > 3", []parameter.Parameter{kind("region", parameter.Text, false)}, ""},
		{"locks", "id in :user.ids", "t.id in :user.ids", []parameter.Parameter{kind("ids", parameter.Integer, true)}, ""},
		{"passages", "toll < :user.most", "t.toll < :user.most", []parameter.Parameter{kind("most", parameter.Integer, false)}, ""},
		{"passages", "passed >= :user.since", "t.passed >= :user.since", []parameter.Parameter{kind("since", parameter.Date, false)}, ""},
		{"passages", "locks.region in :user.regions", "any locks where locks.region in :user.regions", []parameter.Parameter{kind("regions", parameter.Text, true)}, ""},
		{"passages", "not (locks.id = 1) or toll > 5", "not (any locks where locks.id = 1) or t.toll > 5", nil, ""},
		{"locks", "no passages where toll > :user.most", "no passages where toll > :user.most", []parameter.Parameter{kind("most", parameter.Integer, false)}, ""},
		{"locks", "region in :regions", "", nil, "not_an_attribute"},
		{"locks", "region = :user", "", nil, "not_an_attribute"},
		{"locks", "regoin = 'x'", "", nil, "unknown_column"},
		{"locks", "region", "", nil, "type_mismatch"},
		{"locks", "region in :user.", "", nil, "unknown_part"},
		{"passages", "weirs.name = 'x'", "", nil, "unknown_table"},
	} {
		source := canal()
		table, _ := source.Table(c.on)
		r := &definition.RowRule{On: c.on, Criteria: definition.Text{Value: c.text}}
		e, asks, problems := r.Condition(source, table, "t", nil)
		if c.code != "" {
			if assert.NotEmpty(t, problems, c.text) {
				assert.Equal(t, c.code, problems[0].Code, "%s: %v", c.text, problems)
			}
			continue
		}
		require.NoError(t, problems.Err(), c.text)
		assert.Equal(t, c.printed, criteria.Print(e))
		assert.Equal(t, c.asks, asks, c.text)
	}
	r := &definition.RowRule{On: "passages", Criteria: definition.Text{Value: "toll < :user.most"}}
	table, _ := canal().Table("passages")
	_, asks, _ := r.Condition(canal(), table, "t", map[string][]string{"most": {"12.5"}})
	assert.Equal(t, parameter.Decimal, asks[0].Kind, "what the values of who asks need")
}

// TestCheckRowRule: a rule is checked against its table.
func TestCheckRowRule(t *testing.T) {
	known := definition.Environment{Source: func(name string) (*catalog.Source, *diag.Problem) {
		if name != "canal" {
			return nil, &diag.Problem{Code: "unknown_source", Message: "none"}
		}
		return canal(), nil
	}}
	for text, code := range map[string]string{
		"kind: rule\nname: r\nsource: canal\non: locks\nfor: [keepers]\ncriteria: region in :user.regions\n": "",
		"kind: rule\nname: r\nsource: canal\non: lochs\ncriteria: id > 1\n":                                  "unknown_table",
		"kind: rule\nname: r\nsource: sea\non: locks\ncriteria: id > 1\n":                                    "unknown_source",
		"kind: rule\nname: r\nsource: canal\non: locks\ncriteria: id > 'a'\n":                                "type_mismatch",
		"kind: rule\nname: R\nsource: canal\non: locks\ncriteria: id > 1\nfolder: a//b\n":                    "bad_name",
	} {
		documents, problems := definition.Decode("", []byte(text))
		require.Empty(t, problems)
		_, problems = definition.Check(documents, known)
		if code == "" {
			assert.Empty(t, problems, text)
		} else if assert.NotEmpty(t, problems, text) {
			assert.Equal(t, code, problems[0].Code, text)
		}
	}
	documents, _ := definition.Decode("", []byte("kind: rule\nname: r\nsource: canal\non: locks\ncriteria: id > 1\n"))
	assert.Equal(t, []string{"source canal"}, definition.Uses(documents[0]))
}

func TestIsFolder(t *testing.T) {
	for path, is := range map[string]bool{"": true, "dues": true, "dues/monthly": true, "a/b/c/d/e/f/g/h": true, "a/b/c/d/e/f/g/h/i": false, "/dues": false, "dues/": false, "a//b": false, "..": false, "Dues": false, "a b": false} {
		assert.Equal(t, is, definition.IsFolder(path), path)
	}
}
