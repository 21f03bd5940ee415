package schedules

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/parameter"
	"pikegate/internal/demo/mailbox"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// office is a service with users, whose clock is moved by hand.
type office struct {
	*testing.T
	*running
	*world
	clock *clock
}

// open starts a service that has an administrator ada, an author ann who may publish in dues and
// write queries on the source, an author abe who may draft there, and the readers rita and rob, of
// whom rita may run what is in dues.
func open(t *testing.T) *office {
	t.Helper()
	w := newWorld(t)
	w.mail.Refuse = nil
	records(t, w.folder)
	require.NoError(t, os.MkdirAll(filepath.Join(w.folder, "out"), 0o755))
	c := newClock(begins)
	r, err := start(w.place(), c.now)
	require.NoError(t, err)
	t.Cleanup(r.stop)
	o := &office{t, r, w, c}
	install(t, r, w.place(), nil)
	ctx := t.Context()
	anybody, err := r.People.Open(ctx, "")
	require.NoError(t, err)
	_, err = r.AddUserHere(ctx, wire.User{Name: "ada", Role: identity.Administrator, Email: "ada@navigation.example"})
	require.NoError(t, err)
	for name, role := range map[string]string{"ann": identity.Author, "abe": identity.Author, "rita": identity.Reader, "rob": identity.Reader} {
		_, err := r.Invite(ctx, o.as("ada"), wire.User{Name: name, Role: role, Email: name + "@navigation.example"})
		require.NoError(t, err)
	}
	dues := "dues"
	o.give(wire.Grant{Folder: &dues, Right: identity.Publish, User: "ann"})
	o.give(wire.Grant{Folder: &dues, Right: identity.Draft, User: "abe"})
	o.give(wire.Grant{Folder: &dues, Right: identity.Run, User: "rita"})
	o.give(wire.Grant{Source: "dues", Right: identity.Read, User: "ann"})
	o.push(anybody, strings.NewReplacer("query: ", "folder: dues\nquery: ", "source: dues", "folder: dues\nsource: dues").Replace(report))
	for _, name := range []string{"invoices", "all-invoices"} {
		_, err := r.Publish(ctx, anybody, name)
		require.NoError(t, err)
	}
	return o
}

func (o *office) as(name string) identity.Actor {
	o.Helper()
	who, err := o.People.OnBehalf(context.Background(), name)
	require.NoError(o, err)
	return who
}

func (o *office) give(g wire.Grant) {
	o.Helper()
	require.NoError(o, o.Grant(context.Background(), o.as("ada"), g))
}

func (o *office) push(who identity.Actor, documents string) {
	o.Helper()
	_, err := o.Push(context.Background(), who, documents, wire.Keeping{})
	require.NoError(o, err)
}

// publish pushes a schedule and publishes it.
func (o *office) publish(who identity.Actor, document string) error {
	o.Helper()
	o.push(who, document)
	name := strings.TrimPrefix(strings.Split(document, "\n")[1], "name: ")
	_, err := o.Publish(context.Background(), who, name)
	return err
}

// schedule is the document of a schedule.
func schedule(name, rest string) string {
	return fmt.Sprintf("kind: schedule\nname: %s\nfolder: dues\nreport: all-invoices\nset: {period: yesterday}\nwhen: every day at 07:00\n%s", name, rest)
}

// on moves the clock to a time and does what is due.
func (o *office) on(at string) {
	o.Helper()
	t, err := time.Parse("2006-01-02 15:04", at)
	require.NoError(o, err)
	o.clock.set(t)
	require.NoError(o, o.Keeper().Pass(context.Background()))
}

// last is the newest occurrence of a schedule.
func (o *office) last(name string) store.Occurrence {
	o.Helper()
	list, err := o.store.Occurrences(context.Background(), name, 0, 1)
	require.NoError(o, err)
	require.NotEmpty(o, list, "%s was not due", name)
	return list[0]
}

func (o *office) told(user string) (words []string) {
	o.Helper()
	list, err := o.Notices(context.Background(), o.as(user))
	require.NoError(o, err)
	for _, n := range list {
		words = append(words, n.Schedule+": "+n.Words)
	}
	return words
}

// mailed are the mails to an address, the newest first.
func (o *office) mailed(address string) (list []mailbox.Mail) {
	for _, m := range o.mail.Mails() {
		if slices.Contains(m.To, address) {
			list = append(list, m)
		}
	}
	return list
}

func destination(place, user string) wire.Grant {
	return wire.Grant{Destination: place, Right: identity.Deliver, User: user}
}

// TestDeliverRights: who publishes a schedule needs the right to deliver, to places that the
// administrator named.
func TestDeliverRights(t *testing.T) {
	o := open(t)
	file := "deliver: [{folder: {file: 'out/{due}.csv'}}]\n"
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", file)), "no right to deliver to folder:out")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", "deliver: [{folder: {file: 'in/{due}.csv'}}]\n")), "has not named folder:in")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", "deliver: [{mail: {to: office@navigation.example}}]\n")), "no right to deliver to mail:navigation.example")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", "deliver: [{mail: {to: office@elsewhere.example}}]\n")), "has not named mail:elsewhere.example")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", "deliver: [{web: {url: 'https://ledger.example/in', secret: ledger}}]\n")), "has not named web:ledger.example")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("s", "deliver: [{keep: {as: dues}}]\n")), "no right to deliver to keep")
	require.NoError(t, o.publish(o.as("ann"), schedule("own", "deliver: [{mail: {to: ann@navigation.example}}]\n")), "one's own address needs none")
	o.push(o.as("abe"), schedule("s", file))
	_, err := o.Publish(t.Context(), o.as("abe"), "s")
	assert.ErrorContains(t, err, "no right to publish in the folder dues")

	o.give(destination("folder:out", "ann"))
	require.NoError(t, o.publish(o.as("ann"), schedule("s", file)))
	o.on("2026-03-29 06:00")
	assert.Equal(t, store.Delivered, o.last("s").State)
	assert.Equal(t, "ann", o.last("s").Owner)

	// A right that is taken back pauses it, and what was on its way does not arrive.
	require.NoError(t, o.Revoke(t.Context(), o.as("ada"), destination("folder:out", "ann")))
	o.on("2026-03-30 06:00")
	assert.Equal(t, store.Failed, o.last("s").State)
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Contains(t, k.Paused, "no right to deliver to folder:out")
	assert.NotEmpty(t, o.told("ann"))
	_, err = o.ResumeSchedule(t.Context(), o.as("ann"), "s")
	assert.ErrorContains(t, err, "no right to deliver", "it is not resumed while it cannot go on")
	o.give(destination("folder:*", "ann"))
	o.on("2026-03-31 05:00")
	_, err = o.ResumeSchedule(t.Context(), o.as("ann"), "s")
	require.NoError(t, err)
	o.on("2026-03-31 06:00")
	assert.Equal(t, store.Delivered, o.last("s").State)
}

// TestOwnerGone: a schedule whose owner is disabled, or may not run the report any more, is paused,
// and the managers of its folder are told; handed over it goes on.
func TestOwnerGone(t *testing.T) {
	o := open(t)
	o.give(destination("folder:out", "ann"))
	require.NoError(t, o.publish(o.as("ann"), schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	rita := wire.OwnSchedule{Report: "all-invoices", Set: parameter.Inputs{"period": parameter.Typed("yesterday")}, When: "every day at 07:00"}
	mine, err := o.SaveOwnSchedule(t.Context(), o.as("rita"), "", rita)
	require.NoError(t, err)
	assert.Equal(t, "all-invoices@rita", mine.Name)

	yes := true
	_, err = o.ChangeUser(t.Context(), o.as("ada"), "ann", wire.UserChange{Disabled: &yes})
	require.NoError(t, err)
	dues := "dues"
	require.NoError(t, o.Revoke(t.Context(), o.as("ada"), wire.Grant{Folder: &dues, Right: identity.Run, User: "rita"}))
	o.on("2026-03-29 06:00")
	for name, says := range map[string]string{"s": "ann is disabled", mine.Name: "There is no published report all-invoices."} {
		assert.Equal(t, store.Failed, o.last(name).State, name)
		k, err := o.store.Schedule(t.Context(), name)
		require.NoError(t, err)
		assert.Contains(t, k.Paused, says, name)
	}
	assert.Contains(t, strings.Join(o.told("ada"), "\n"), "ann is disabled", "who manages the folder is told")
	assert.Empty(t, o.told("rob"))
	assert.NoFileExists(t, filepath.Join(o.folder, "out", "2026-03-29.csv"))
	assert.Empty(t, o.mail.Mails())

	_, err = o.HandOver(t.Context(), o.as("abe"), "ann", "abe")
	assert.ErrorContains(t, err, "for administrators")
	_, err = o.HandOver(t.Context(), o.as("ada"), "ann", "nobody")
	assert.ErrorContains(t, err, "no user nobody")
	list, err := o.HandOver(t.Context(), o.as("ada"), "ann", "ada")
	require.NoError(t, err)
	require.Len(t, list, 1)
	_, err = o.ResumeSchedule(t.Context(), o.as("ada"), "s")
	require.NoError(t, err)
	o.on("2026-03-30 06:00")
	assert.Equal(t, store.Delivered, o.last("s").State)
	assert.Equal(t, "ada", o.last("s").Owner)
	assert.FileExists(t, filepath.Join(o.folder, "out", "2026-03-30.csv"))
	log, err := o.AuditLog(t.Context(), o.as("ada"), store.AuditFilter{}, 100)
	require.NoError(t, err)
	var did []string
	for _, e := range log {
		did = append(did, e.What)
	}
	for _, what := range []string{"schedule.recipients", "schedule.saved", "schedule.paused", "schedules.handed_over", "schedule.resumed"} {
		assert.Contains(t, did, what)
	}
}

// TestWhoPublishes: a schedule is its publisher's, whoever had it before, who is told.
func TestWhoPublishes(t *testing.T) {
	o := open(t)
	o.give(destination("folder:out", "ann"))
	require.NoError(t, o.publish(o.as("ann"), schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n")))
	require.NoError(t, o.publish(o.as("ada"), schedule("s", "deliver: [{folder: {file: 'out/{due}-b.csv'}}]\n")))
	k, err := o.store.Schedule(t.Context(), "s")
	require.NoError(t, err)
	assert.Equal(t, "ada", k.Owner)
	assert.Contains(t, strings.Join(o.told("ann"), "\n"), "It runs for ada from now on")
	assert.ErrorContains(t, o.publish(o.as("ann"), schedule("other", "deliver: [{folder: {file: 'out/{due}-b.csv'}}]\n")), "The schedule s delivers the file out/{due}-b.csv", "two schedules of one path")
	_, err = o.Push(t.Context(), o.as("ann"), schedule("s", "owner: ada\ndeliver: [{folder: {file: 'out/{due}.csv'}}]\n"), wire.Keeping{})
	assert.ErrorContains(t, err, `no field "owner"`, "nobody publishes in another's name")
}

// TestOwn: what people make of a result goes to them alone until they may deliver elsewhere, and is
// nobody else's.
func TestOwn(t *testing.T) {
	o := open(t)
	make := func(who string, own wire.OwnSchedule) (wire.ScheduleInfo, error) {
		own.Report, own.When = "all-invoices", "every day at 07:00"
		own.Set = parameter.Inputs{"period": parameter.Typed("yesterday")}
		return o.SaveOwnSchedule(context.Background(), o.as(who), "", own)
	}
	_, err := make("rob", wire.OwnSchedule{})
	assert.ErrorContains(t, err, "There is no published report all-invoices.", "a report that one may not run")
	mine, err := make("rita", wire.OwnSchedule{Format: "xlsx"})
	require.NoError(t, err)
	_, err = make("rita", wire.OwnSchedule{To: []string{"rob@navigation.example"}})
	assert.ErrorContains(t, err, "no right to deliver to mail:navigation.example")
	o.on("2026-03-29 06:00")
	require.Len(t, o.mail.Mails(), 1)
	got := o.mailed("rita@navigation.example")
	require.Len(t, got, 1)
	require.Len(t, got[0].Files, 1)
	assert.Contains(t, got[0].Text, "Issued on on Sat 28 Mar 2026")
	assert.Empty(t, got[0].Header.Get("List-Unsubscribe"), "one's own needs none")

	for _, other := range []string{"rob", "ann"} { // ada sees all
		_, err = o.Schedule(t.Context(), o.as(other), mine.Name)
		assert.ErrorContains(t, err, "There is no schedule "+mine.Name, other)
		_, err = o.Occurrence(t.Context(), o.as(other), o.last(mine.Name).ID)
		assert.ErrorContains(t, err, "There is no occurrence", other)
		_, err = o.RunSchedule(t.Context(), o.as(other), mine.Name, time.Time{})
		assert.Error(t, err)
		list, err := o.Schedules(t.Context(), o.as(other), true)
		require.NoError(t, err)
		assert.Empty(t, list)
	}
	all, err := o.Schedules(t.Context(), o.as("ada"), true)
	require.NoError(t, err)
	assert.Len(t, all, 1)

	// To somebody else it goes with a right; they can end that, with one click.
	o.give(destination("mail:navigation.example", "rita"))
	shared, err := make("rita", wire.OwnSchedule{To: []string{"rita@navigation.example", "rob@navigation.example"}})
	require.NoError(t, err)
	assert.Equal(t, "all-invoices-2@rita", shared.Name)
	o.on("2026-03-30 06:00")
	got = o.mailed("rob@navigation.example")
	require.Len(t, got, 1)
	link := strings.Trim(got[0].Header.Get("List-Unsubscribe"), "<>")
	require.Contains(t, link, "http://reports.navigation.example/unsubscribe/")
	assert.Contains(t, got[0].Text, "sent for rita")
	token := link[strings.LastIndexByte(link, '/')+1:]
	for range 3 {
		require.NoError(t, o.Decline(t.Context(), token))
	}
	for _, bad := range []string{"", "x", token[1:], token + "A"} {
		assert.Error(t, o.Decline(t.Context(), bad))
	}
	o.on("2026-03-31 06:00")
	assert.Len(t, o.mailed("rob@navigation.example"), 1, "no more")
	assert.Len(t, o.mailed("rita@navigation.example"), 5)
	assert.Equal(t, []string{shared.Name + ": rob@navigation.example asked to get it no more."}, o.told("rita"), "said once, however often it is clicked")
	for range 600 {
		require.NoError(t, o.store.AddNotices(t.Context(), store.Notice{User: "rita", Words: "again"}))
	}
	require.NoError(t, o.Keeper().Tidy(t.Context()))
	left, err := o.store.Notices(t.Context(), "rita", false, 10_000)
	require.NoError(t, err)
	assert.Len(t, left, 500, "the newest")

	require.NoError(t, o.RemoveOwnSchedule(t.Context(), o.as("rita"), shared.Name))
	o.on("2026-04-01 06:00")
	assert.Len(t, o.mailed("rita@navigation.example"), 6, "the one that is left")
}

// TestNobody: while there are no users nothing runs by itself, but in the demonstration.
func TestNobody(t *testing.T) {
	w := newWorld(t)
	records(t, w.folder)
	c := newClock(begins)
	r, err := start(w.place(), c.now)
	require.NoError(t, err)
	defer r.stop()
	install(t, r, w.place(), nil)
	r.Demonstration = false
	who, err := r.People.Open(t.Context(), "")
	require.NoError(t, err)
	_, err = r.Push(t.Context(), who, schedule("s", "deliver: [{folder: {file: 'out/{due}.csv'}}]\n"), wire.Keeping{})
	require.NoError(t, err)
	_, err = r.Publish(t.Context(), who, "s")
	assert.ErrorContains(t, err, "there are no users yet")
	_, err = r.SaveOwnSchedule(t.Context(), who, "", wire.OwnSchedule{Report: "all-invoices", When: "every day at 07:00", To: []string{"a@navigation.example"}, Set: parameter.Inputs{"period": parameter.Typed("yesterday")}})
	assert.ErrorContains(t, err, "there are no users yet")
}
