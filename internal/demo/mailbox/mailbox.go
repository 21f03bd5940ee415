// Package mailbox stands in for a mail server in the demonstration and the tests: it takes every
// mail, sends none on, and shows them on a page.
package mailbox

import (
	"bytes"
	"cmp"
	_ "embed" // its page
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// most is how many mails are kept where nothing else is said, and mostSize how many bytes one may have.
const (
	most     = 500
	mostSize = 30 << 20
)

// Mail is a mail that was handed over, taken apart.
type Mail struct {
	Number    int
	At        time.Time
	From      string
	To        []string
	Subject   string
	MessageID string
	Header    mail.Header
	Text      string
	HTML      string
	Files     []File
	Raw       []byte
}

// File is an attachment.
type File struct {
	Name, Type string
	Content    []byte
}

// Mailbox takes mail.
type Mailbox struct {
	// Refuse may refuse a recipient of a mail or its content before it is taken: nil takes all.
	Refuse func(from string, to string, content []byte) error

	// Most is how many mails are kept; 500 where it is 0.
	Most int

	server   *smtp.Server
	listener net.Listener

	mu    sync.Mutex // guards the rest
	mails []Mail
	count int
}

// Listen takes mail at an address, such as 127.0.0.1:0. Configure, which may be nil, changes the
// server before it does.
func Listen(address string, configure func(*smtp.Server)) (*Mailbox, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	return Serve(listener, configure), nil
}

// Serve takes mail of a listener, as Listen does.
func Serve(listener net.Listener, configure func(*smtp.Server)) *Mailbox {
	m := &Mailbox{listener: listener}
	m.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{box: m}, nil }))
	m.server.Domain, m.server.MaxMessageBytes, m.server.MaxRecipients = "localhost", mostSize, 100
	m.server.ReadTimeout, m.server.WriteTimeout = time.Minute, time.Minute
	m.server.ErrorLog = discard{}
	if configure != nil {
		configure(m.server)
	}
	go func() { _ = m.server.Serve(listener) }()
	return m
}

type discard struct{}

func (discard) Printf(string, ...any) {}
func (discard) Println(...any)        {}

// Address is where it listens.
func (m *Mailbox) Address() string { return m.listener.Addr().String() }

// Close takes no more mail.
func (m *Mailbox) Close() error { return m.server.Close() }

// Mails are those that were taken, the newest first.
func (m *Mailbox) Mails() []Mail {
	m.mu.Lock()
	defer m.mu.Unlock()
	list := slices.Clone(m.mails)
	slices.Reverse(list)
	return list
}

// session is one connection.
type session struct {
	box  *Mailbox
	from string
	to   []string
}

func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if s.box.Refuse != nil {
		if err := s.box.Refuse(s.from, to, nil); err != nil {
			return err
		}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	if s.box.Refuse != nil {
		if err := s.box.Refuse(s.from, strings.Join(s.to, ","), raw); err != nil {
			return err
		}
	}
	made, err := read(raw)
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "This is no mail: " + err.Error()}
	}
	made.At, made.To, made.From = time.Now(), slices.Clone(s.to), s.from
	s.box.mu.Lock()
	defer s.box.mu.Unlock()
	s.box.count++
	made.Number = s.box.count
	s.box.mails = append(s.box.mails, made)
	s.box.mails = s.box.mails[max(len(s.box.mails)-cmp.Or(s.box.Most, most), 0):]
	return nil
}

func (s *session) Reset()        { s.from, s.to = "", nil }
func (s *session) Logout() error { return nil }

// read takes a mail apart.
func read(raw []byte) (Mail, error) {
	message, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return Mail{}, err
	}
	made := Mail{Header: message.Header, MessageID: message.Header.Get("Message-Id"), Raw: raw}
	if made.Subject, err = (&mime.WordDecoder{}).DecodeHeader(message.Header.Get("Subject")); err != nil {
		return Mail{}, err
	}
	return made, made.part(message.Header.Get, message.Body)
}

// part takes a part of a mail apart.
func (m *Mail) part(header func(string) string, body io.Reader) error {
	kind, parameters, err := mime.ParseMediaType(cmp.Or(header("Content-Type"), "text/plain"))
	if err != nil {
		return err
	}
	if strings.HasPrefix(kind, "multipart/") {
		parts := multipart.NewReader(body, parameters["boundary"])
		for {
			p, err := parts.NextRawPart()
			if errors.Is(err, io.EOF) {
				return nil
			} else if err != nil {
				return err
			}
			if err := m.part(p.Header.Get, p); err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(header("Content-Transfer-Encoding")) {
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	}
	content, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	disposition, of, _ := mime.ParseMediaType(header("Content-Disposition")) // none is none
	switch {
	case disposition == "attachment":
		name, err := (&mime.WordDecoder{}).DecodeHeader(of["filename"])
		if err != nil {
			return err
		}
		m.Files = append(m.Files, File{name, kind, content})
	case kind == "text/html":
		m.HTML = string(content)
	default:
		m.Text += string(content)
	}
	return nil
}

//go:embed mailbox.html
var page string

var pageTemplate = template.Must(template.New("mailbox.html").Funcs(template.FuncMap{
	"size": func(content []byte) string { return fmt.Sprintf("%d kB", (len(content)+999)/1000) },
	"time": func(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05 UTC") },
}).Parse(page))

// ServeHTTP shows the mails: / lists them, /N shows one, /N/html its HTML, /N/raw all of it, and
// /N/file/I an attachment.
func (m *Mailbox) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	parts := strings.Split(strings.Trim(r.URL.Path, "/"), "/")
	h := w.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'; base-uri 'none'; frame-ancestors 'self'")
	list := m.Mails()
	if parts[0] == "" {
		m.show(w, list, nil)
		return
	}
	at := slices.IndexFunc(list, func(k Mail) bool { return strconv.Itoa(k.Number) == parts[0] })
	if at < 0 {
		http.Error(w, "There is no such mail.", http.StatusNotFound)
		return
	}
	shown := list[at]
	switch {
	case len(parts) == 1:
		m.show(w, list, &shown)
	case parts[1] == "html":
		h.Set("Content-Type", "text/html; charset=utf-8")
		h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox allow-popups allow-popups-to-escape-sandbox")
		_, _ = io.WriteString(w, shown.HTML) // the caller may be gone; nothing is left to tell
	case parts[1] == "raw":
		h.Set("Content-Type", "text/plain; charset=utf-8")
		_, _ = w.Write(shown.Raw)
	case parts[1] == "file" && len(parts) == 3:
		i, err := strconv.Atoi(parts[2])
		if err != nil || i < 0 || i >= len(shown.Files) {
			http.Error(w, "There is no such file.", http.StatusNotFound)
			return
		}
		h.Set("Content-Type", shown.Files[i].Type)
		h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": shown.Files[i].Name}))
		_, _ = w.Write(shown.Files[i].Content)
	default:
		http.NotFound(w, r)
	}
}

func (m *Mailbox) show(w http.ResponseWriter, list []Mail, shown *Mail) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pageTemplate.Execute(w, struct { // the caller may be gone; nothing is left to tell
		Mails []Mail
		Shown *Mail
	}{list, shown})
}
