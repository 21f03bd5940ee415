package access

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestHowFilesAreLiked: a reader gets CSV as they like it, where neither run nor report says
// how it is written.
func TestHowFilesAreLiked(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	ada.publish(tolls("tolls", "dues"), "tolls")
	ada.publish(tolls("wide", "dues")+"csv: {encoding: utf-16}\n", "wide")
	ada.publish(tolls("bars", "dues")+"csv: {delimiter: '|'}\nguard: true\n", "bars")
	first := func(report string, body map[string]any) string {
		line, _, _ := strings.Cut(ada.must("POST", "/reports/"+report+"/runs?format=csv", body).body, "\r\n")
		return line
	}
	assert.Equal(t, "id,day,lock,pence", first("tolls", map[string]any{}))
	ada.refused(422, "bad_file_format", "PUT", "/me/profile", map[string]any{"csv": map[string]string{"delimiter": "xx"}})
	ada.must("PUT", "/me/profile", map[string]any{"csv": map[string]string{"decimal": ",", "mark": "yes"}, "guard": true})
	assert.Contains(t, ada.must("GET", "/me", nil).body, `"csv":{"decimal":",","mark":"yes"},"guard":true`)
	assert.Equal(t, "\ufeffid;day;lock;pence", first("tolls", map[string]any{}))
	assert.Equal(t, "\ufeffid|day|lock|pence", first("bars", map[string]any{}), "the report comes first")
	assert.Equal(t, "id\tday\tlock\tpence", first("bars", map[string]any{"csv": map[string]string{"delimiter": "tab", "mark": "no"}}), "and the run before it")
	link := ada.makeToken(map[string]any{"name": "a sheet", "scope": "link", "report": "wide"})
	linked := g.nobody().must("GET", "/linked/"+link.token+"/records.csv", nil)
	assert.Equal(t, "text/csv; charset=utf-16; header=present", linked.header.Get("Content-Type"), "a link says what it is")
	assert.True(t, strings.HasPrefix(linked.body, "\xff\xfei\x00d\x00;\x00"), "as whoever made it likes it, where the report does not say")
}
