package service

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/format"
	"pikegate/internal/delivery"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// mayDeliver says what stands in the way of a schedule that delivers for somebody: a place that
// the administrator has not named, or that they hold no right on. To the owner's own address,
// and with nothing else, everybody may have their mail sent.
func (s *Service) mayDeliver(who identity.Actor, d *definition.Schedule, own bool) error {
	var problems diag.Problems
	for i, way := range d.Deliver {
		field := fmt.Sprintf("deliver[%d]", i)
		if way.Way() == "mail" && s.Destinations.Mail.Server == "" {
			problems = append(problems, diag.Problem{Code: "no_mail_server", Field: field, Message: "The service has no mail server.", Hint: "The administrator names one with serve --destinations."})
			continue
		}
		for _, place := range way.Places() {
			if way.Way() == "mail" && onlyTo(way.Mail.To, who.User().Email) {
				continue
			}
			switch {
			case own && way.Way() != "mail":
				problems = append(problems, diag.Problem{Code: "only_mail", Field: field, Message: "What was made of a result goes by mail alone.", Hint: "Ask an author for a schedule."})
			case !s.Destinations.Has(place):
				problems = append(problems, diag.Problem{Code: "unknown_destination", Field: field, Message: fmt.Sprintf("The administrator has not named %s.", place), Hint: orHowNamed("There are ", s.namedLike(who, place))})
			case !who.MayDeliver(place):
				problems = append(problems, diag.Problem{Code: "no_right", Field: field, Message: fmt.Sprintf("There is no right to deliver to %s.", place), Hint: "Ask an administrator."})
			}
		}
	}
	return problems.Err()
}

// onlyTo tells whether a mail goes to one address alone.
func onlyTo(r definition.Recipients, address string) bool {
	if r.By != "" || address == "" {
		return false
	}
	for _, to := range r.Texts {
		if !strings.EqualFold(to, address) {
			return false
		}
	}
	return len(r.Texts) > 0
}

// namedLike lists the places of the same way that somebody may deliver to.
func (s *Service) namedLike(who identity.Actor, place string) string {
	way, _, _ := strings.Cut(place, ":")
	var names []string
	for _, named := range s.Destinations.Places() {
		if strings.HasPrefix(named, way+":") && who.MayDeliver(named) {
			names = append(names, named)
		}
	}
	return strings.Join(names, ", ")
}

func orHowNamed(before, text string) string {
	if text == "" {
		return "The administrator names folders, domains and hosts with serve --destinations."
	}
	return before + text + "."
}

// destinationThere tells whether a right can be given on a destination.
func (s *Service) destinationThere(field, place string) diag.Problems {
	way, name, _ := strings.Cut(place, ":")
	if place == "keep" || name == "*" && (way == "folder" || way == "mail" || way == "web") || name != "" && s.Destinations.Has(place) {
		return nil
	}
	return diag.Problems{{
		Code: "unknown_destination", Field: field, Message: fmt.Sprintf("The administrator has not named %s.", place),
		Hint: "There are " + strings.Join(s.Destinations.Places(), ", ") + "; * stands for every one of a way, such as mail:*.",
	}}
}

// Deliver makes an attempt at a delivery.
func (s scheduled) Deliver(ctx context.Context, d store.Delivery) (told string, err error) {
	o, err := s.Store.Occurrence(ctx, d.Occurrence)
	if err != nil {
		return "", err
	}
	part, err := s.Store.Part(ctx, d.Occurrence, d.Part)
	if err != nil {
		return "", fmt.Errorf("the part %d is not there: %w", d.Part, err)
	}
	document, _, err := s.scheduleOf(ctx, o.Schedule, o.Version)
	if err != nil {
		return "", err
	}
	who, err := s.ownerOf(ctx, o.Owner)
	if err != nil {
		return "", &delivery.Failure{Message: "Its owner is gone: " + err.Error(), Final: true}
	}
	if err := s.mayDeliver(who, document, strings.Contains(o.Schedule, "@")); err != nil {
		return "", &delivery.Failure{Message: err.Error(), Final: true}
	}
	var said send
	if err := json.Unmarshal([]byte(d.Spec), &said); err != nil {
		return "", err
	}
	parcel := delivery.Parcel{ID: d.ID, Spooled: d.File, Name: said.Name, Bytes: d.Bytes}
	if f, ok := output.FormatOf(d.Format); ok {
		parcel.ContentType = f.ContentType
	}
	if d.File != "" {
		if info, err := os.Stat(d.File); err != nil || info.Size() != d.Bytes {
			return "", &delivery.Failure{Message: "What was to be delivered is not in the spool any more.", Final: true, Err: err}
		}
	}
	switch d.Way {
	case "folder":
		name, to, _ := strings.Cut(d.Target, "/")
		var also map[string][]byte
		if said.Provenance {
			told, err := s.provenanceOf(ctx, d, o, part, s.Now())
			if err != nil {
				return "", err
			}
			content, err := json.MarshalIndent(told, "", "  ")
			if err != nil {
				return "", err
			}
			also = map[string][]byte{".provenance.json": append(content, '\n')}
		}
		return "", delivery.IntoFolder(ctx, s.Destinations.Folders[name], to, parcel, also)
	case "web":
		secret, err := s.webSecret(ctx, document.Deliver[d.Number].Web)
		if err != nil {
			return "", err
		}
		return s.web.Post(ctx, d.Target, secret, parcel, s.Now())
	case "mail":
		return s.mailer.Send(ctx, s.letter(ctx, d, o, part, document, said), parcel)
	case "keep":
		return s.keepResult(ctx, d, o, part, document.Deliver[d.Number].Keep)
	}
	return "", &delivery.Failure{Message: "There is no way " + d.Way + ".", Final: true}
}

// webSecret is the secret that requests to a host are signed with: it is used for the host it was
// first used for and for no other, whoever names it.
func (s *Service) webSecret(ctx context.Context, w definition.WebDelivery) (string, error) {
	secret, ok := s.secret(ctx, w.Secret)
	if !ok {
		return "", &delivery.Failure{Message: "There is no secret " + w.Secret + "."}
	}
	u, err := url.Parse(w.URL)
	if err != nil {
		return "", &delivery.Failure{Message: "The address cannot be read.", Final: true}
	}
	place := "web " + strings.ToLower(u.Host)
	bound, err := s.Store.Bound(ctx, w.Secret)
	if err == nil && bound == "" {
		err = s.Store.Bind(ctx, w.Secret, place, s.Now().UTC())
		bound = place
	}
	if err != nil {
		return "", err
	}
	if bound != place {
		return "", &delivery.Failure{Message: "The secret " + w.Secret + " is for another place.", Final: true}
	}
	return secret, nil
}

// letter is the mail of a delivery.
func (s *Service) letter(ctx context.Context, d store.Delivery, o store.Occurrence, p store.Part, document *definition.Schedule, said send) delivery.Letter {
	l := delivery.Letter{
		To: d.Target, Subject: said.Subject, ReadBack: p.ReadBack, Records: counted64(p.Count), First: p.First, Last: p.Last, Date: time.Unix(p.ReadAt, 0).UTC(),
	}
	if p.Count == 0 {
		l.Reason = s.whyNothing(ctx, p)
	}
	l.Schedule, _ = document.Heading()
	l.Title = l.Schedule
	kind, name := document.Runs()
	if e, ok := s.headOf(ctx, kind, name); ok {
		l.Title = e.title
	}
	if kind == "overview" {
		l.Records = output.Counted(p.Count, "part", "parts")
	}
	if !p.Single {
		l.Title += ": " + orBlankWord(p.Label)
	}
	for _, t := range totalsIn(p.Totals) {
		if p.Count == 0 { // there is nothing to make them of
			break
		}
		l.Totals = append(l.Totals, delivery.Stated{Label: t.Label, Value: t.Text(format.Place{})})
	}
	if zone, err := time.LoadLocation(o.Zone); err == nil {
		l.AsOf = atClock(o.Due, zone)
		l.ReadAt = atClock(p.ReadAt, zone)
	}
	if said.Others {
		l.Sender = o.Owner
		if u, err := s.Store.User(ctx, o.Owner); err == nil && u.Display != "" {
			l.Sender = u.Display
		}
	}
	if s.Public != "" {
		l.Link = fmt.Sprintf("%s/#/occurrences/%d", s.Public, o.ID)
		if said.Others {
			l.Unsubscribe = s.Public + "/unsubscribe/" + s.declineToken(o.Schedule, d.Target)
		}
	}
	return l
}

// whyNothing says why a part has no records, and where the nearest are.
func (s *Service) whyNothing(ctx context.Context, p store.Part) string {
	if p.Problem != "" {
		return p.Problem
	}
	why := "Nothing matches all of these criteria."
	run, err := s.Store.Run(ctx, p.Run)
	var edges *output.Edges
	if err != nil || run.Edges == nil || json.Unmarshal(run.Edges, &edges) != nil || edges == nil {
		return why
	}
	if edges.Before != "" {
		why += " The nearest record before the period is of " + edges.Before + "."
	}
	if edges.After != "" {
		why += " The nearest after it is of " + edges.After + "."
	}
	return why
}

func counted64(n int64) string {
	if n == 0 {
		return "No records"
	}
	return output.Counted(n, "record", "records")
}

// totalsIn are the totals of a part as they were kept, numbers with every digit; of an older
// shape there are none.
func totalsIn(text string) (totals []output.Total) {
	decoder := json.NewDecoder(strings.NewReader(text))
	decoder.UseNumber()
	if decoder.Decode(&totals) != nil {
		return nil
	}
	return totals
}

func orBlankWord(text string) string {
	if text == "" {
		return "blank"
	}
	return text
}

// atClock is an instant on the clock of a zone, in words.
func atClock(at int64, zone *time.Location) string {
	shown := civil.CivilOf(civil.Instant(at), zone).String()
	return strings.Replace(shown[:16], "T", " ", 1) + " " + zone.String()
}

// headOf is the head of a published definition.
func (s *Service) headOf(ctx context.Context, kind, name string) (head, bool) {
	d, err := s.directory(ctx)
	if err != nil {
		return head{}, false
	}
	e, ok := d.entry(kind, name)
	return e.publishedHead, ok && e.published.Number > 0
}

// declinePlace is what tokens to decline a mail are sealed for.
const declinePlace = "decline"

// declineToken lets whoever holds it end that mails of a schedule go to an address, and nothing
// else.
func (s *Service) declineToken(name, address string) string {
	text, err := json.Marshal([2]string{name, address})
	if err != nil { // texts can always be written
		panic(err)
	}
	return base64.RawURLEncoding.EncodeToString(s.Vault.Seal(string(text), declinePlace))
}

// Declining tells of which schedule, and to which address, mails would end to go.
func (s *Service) Declining(ctx context.Context, token string) (title, address string, err error) {
	name, address, err := s.declined(token)
	if err != nil {
		return "", "", err
	}
	title = name
	if d, _, found := s.scheduleOf(ctx, name, 0); found == nil {
		title, _ = d.Heading()
	}
	return title, address, nil
}

// Decline ends that mails of a schedule go to an address. Whoever holds the token was sent it.
func (s *Service) Decline(ctx context.Context, token string) error {
	name, address, err := s.declined(token)
	if err != nil {
		return err
	}
	if before, err := s.Store.Declined(ctx, name); err != nil || slices.Contains(before, address) {
		return err // once is enough
	}
	entry := store.Entry{What: "mail.declined", To: name}.With(nil, address)
	if err := s.Store.Decline(ctx, name, address, s.Now().Unix(), entry); err != nil {
		return err
	}
	k, err := s.Store.Schedule(ctx, name)
	if err != nil {
		return nil // it is gone, and so are its mails
	}
	return s.Store.AddNotices(ctx, store.Notice{User: k.Owner, At: s.Now().Unix(), Schedule: name, Words: address + " asked to get it no more."})
}

func (s *Service) declined(token string) (name, address string, err error) {
	gone := &NotFound{What: "link", Name: "of this kind"}
	sealed, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil {
		return "", "", gone
	}
	text, err := s.Vault.Unseal(sealed, declinePlace)
	var pair [2]string
	if err != nil || json.Unmarshal([]byte(text), &pair) != nil {
		return "", "", gone
	}
	return pair[0], pair[1], nil
}

// provenanceOf tells where a file came from.
func (s *Service) provenanceOf(ctx context.Context, d store.Delivery, o store.Occurrence, p store.Part, at time.Time) (wire.Provenance, error) {
	told := wire.Provenance{
		SHA256: d.SHA256, Bytes: d.Bytes, Schedule: o.Schedule, Occurrence: o.ID, Part: p.Number, Delivery: d.ID, Way: d.Way, Delivered: at.UTC(), Target: d.Target,
		Report: o.Report, Run: p.Run, ReadBack: p.ReadBack, AsOf: o.AsOf, Zone: o.Zone, ReadAt: instant(p.ReadAt), Count: p.Count, First: p.First, Last: p.Last,
	}
	told.Totals = totalsIn(p.Totals)
	run, err := s.Store.Run(ctx, p.Run)
	if err == nil {
		told.Version, told.Typed, told.Resolved = run.Version, orEmpty(run.Inputs), orEmpty(run.Resolved)
	}
	return told, other(err)
}

// instant is a time of seconds since 1970, nil for none.
func instant(at int64) *time.Time {
	if at == 0 {
		return nil
	}
	t := time.Unix(at, 0).UTC()
	return &t
}
