package delivery_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"errors"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/delivery"
	"pikegate/internal/demo/mailbox"
)

// certified makes a certificate for a name, and the pool that vouches for it.
func certified(t *testing.T, name string) (tls.Certificate, *x509.CertPool) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
	}
	if ip := net.ParseIP(name); ip != nil {
		template.IPAddresses = []net.IP{ip}
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	made, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(made)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}, pool
}

// parcel is a file in a spool.
func parcel(t *testing.T, content string) delivery.Parcel {
	t.Helper()
	path := filepath.Join(t.TempDir(), "1.csv")
	require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
	return delivery.Parcel{ID: "pg-abc", Spooled: path, Name: "dues 2026-03.csv", ContentType: "text/csv; charset=utf-8", Bytes: int64(len(content))}
}

func letter(to string) delivery.Letter {
	return delivery.Letter{
		To: to, Subject: "Dues of Zoë & Söhne", Title: "Dues", ReadBack: "Issued <on> 1 Mar 2026.", Records: "2 records", First: "2026-03-01", Last: "2026-03-01",
		Totals: []delivery.Stated{{Label: "Sum of amount", Value: "12.50"}}, AsOf: "2026-03-02 07:00 Europe/London", ReadAt: "2026-03-02 07:00 Europe/London",
		Link: "https://reports.example.org/#/occurrences/7", Schedule: "Weekly dues", Sender: "Ada", Unsubscribe: "https://reports.example.org/unsubscribe/x",
		Date: time.Date(2026, 3, 2, 7, 0, 1, 0, time.UTC),
	}
}

// TestMail: what is handed over, read as a mail program would.
func TestMail(t *testing.T) {
	box, err := mailbox.Listen("127.0.0.1:0", nil)
	require.NoError(t, err)
	defer box.Close()
	m := &delivery.Mailer{Server: delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example"}}
	p := parcel(t, "number,amount\r\n1,5.00\r\n2,7.50\r\n")
	for range 2 { // tried again: the same mail
		_, err = m.Send(t.Context(), letter("zoe@navigation.example"), p)
		require.NoError(t, err)
	}
	mails := box.Mails()
	require.Len(t, mails, 2)
	got := mails[0]
	assert.Equal(t, "Dues of Zoë & Söhne", got.Subject)
	assert.Equal(t, "<pg-abc@navigation.example>", got.MessageID)
	assert.Equal(t, mails[1].MessageID, got.MessageID)
	assert.Equal(t, []string{"zoe@navigation.example"}, got.To)
	assert.Equal(t, "reports@navigation.example", got.From)
	assert.Equal(t, "auto-generated", got.Header.Get("Auto-Submitted"))
	assert.Equal(t, "<https://reports.example.org/unsubscribe/x>", got.Header.Get("List-Unsubscribe"))
	assert.Equal(t, "List-Unsubscribe=One-Click", got.Header.Get("List-Unsubscribe-Post"))
	at, err := got.Header.Date()
	require.NoError(t, err)
	assert.True(t, at.Equal(letter("").Date), "the date of the first attempt, however often it is tried")
	require.Len(t, got.Files, 1)
	assert.Equal(t, "dues 2026-03.csv", got.Files[0].Name)
	assert.Equal(t, "text/csv", got.Files[0].Type)
	assert.Equal(t, "number,amount\r\n1,5.00\r\n2,7.50\r\n", string(got.Files[0].Content), "byte for byte")
	for _, text := range []string{got.Text, got.HTML} {
		for _, part := range []string{"2 records", "2026-03-01", "Sum of amount", "12.50", "as of 2026-03-02 07:00 Europe/London", "https://reports.example.org/#/occurrences/7", "sent for Ada", "https://reports.example.org/unsubscribe/x"} {
			assert.Contains(t, text, part)
		}
	}
	assert.Contains(t, got.Text, "Issued <on> 1 Mar 2026.")
	assert.Contains(t, got.HTML, "Issued &lt;on&gt; 1 Mar 2026.", "what people wrote is no HTML")
}

// TestMailWithout: a mail without what may be left out.
func TestMailWithout(t *testing.T) {
	box, err := mailbox.Listen("127.0.0.1:0", nil)
	require.NoError(t, err)
	defer box.Close()
	m := &delivery.Mailer{Server: delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example"}}
	l := letter("zoe@navigation.example")
	l.Records, l.First, l.Last, l.Reason, l.Totals, l.Unsubscribe, l.Sender, l.Link = "No records", "", "", "Nothing matches.", nil, "", "", ""
	_, err = m.Send(t.Context(), l, delivery.Parcel{ID: "pg-1"})
	require.NoError(t, err)
	got := box.Mails()[0]
	assert.Empty(t, got.Files)
	assert.Contains(t, got.Text, "No records.\r\nNothing matches.\r\n")
	assert.NotContains(t, got.Text, "sent for")
	assert.Empty(t, got.Header.Get("List-Unsubscribe"))
}

// TestMailRefused: each way in which a server refuses, whether it is tried again, and what is said.
func TestMailRefused(t *testing.T) {
	refuse := func(code int, enhanced smtp.EnhancedCode, at string) func(from, to string, content []byte) error {
		return func(_, _ string, content []byte) error {
			if (at == "rcpt") == (content == nil) {
				return &smtp.SMTPError{Code: code, EnhancedCode: enhanced, Message: "no"}
			}
			return nil
		}
	}
	for name, c := range map[string]struct {
		refuse func(from, to string, content []byte) error
		final  bool
		says   string
	}{
		"no such recipient":       {refuse(550, smtp.EnhancedCode{5, 1, 1}, "rcpt"), true, "refused the recipient"},
		"mailbox full for now":    {refuse(452, smtp.EnhancedCode{4, 2, 2}, "rcpt"), false, "refused the recipient"},
		"mailbox full":            {refuse(552, smtp.EnhancedCode{5, 2, 2}, "data"), true, "refused the mail"},
		"come back later":         {refuse(451, smtp.EnhancedCode{4, 3, 0}, "data"), false, "refused the mail"},
		"taken for unwanted":      {refuse(554, smtp.EnhancedCode{5, 7, 1}, "data"), true, "refused the mail"},
		"greylisted at recipient": {refuse(450, smtp.EnhancedCode{4, 7, 1}, "rcpt"), false, "refused the recipient"},
	} {
		box, err := mailbox.Listen("127.0.0.1:0", nil)
		require.NoError(t, err)
		box.Refuse = c.refuse
		m := &delivery.Mailer{Server: delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example"}}
		_, err = m.Send(t.Context(), letter("zoe@navigation.example"), parcel(t, "x"))
		var failure *delivery.Failure
		if assert.ErrorAs(t, err, &failure, name) {
			assert.Equal(t, c.final, failure.Final, "%s: %v", name, err)
			assert.Contains(t, failure.Message, c.says, name)
		}
		assert.Empty(t, box.Mails())
		require.NoError(t, box.Close())
	}
}

// TestMailTooLarge: beyond what the administrator or the server takes, the mail goes without the
// file and says so.
func TestMailTooLarge(t *testing.T) {
	large := strings.Repeat("a line of figures\n", 80_000)
	for name, c := range map[string]struct {
		attach int
		most   int64
		refuse bool
	}{"by the administrator": {1, 30 << 20, false}, "by the server's size": {10, 300_000, false}, "by its answer": {10, 30 << 20, true}} {
		box, err := mailbox.Listen("127.0.0.1:0", func(s *smtp.Server) { s.MaxMessageBytes = c.most })
		require.NoError(t, err)
		if c.refuse {
			box.Refuse = func(_, _ string, content []byte) error {
				if len(content) > 100_000 {
					return &smtp.SMTPError{Code: 552, EnhancedCode: smtp.EnhancedCode{5, 3, 4}, Message: "too big"}
				}
				return nil
			}
		}
		m := &delivery.Mailer{Server: delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example", Attach: c.attach}}
		told, err := m.Send(t.Context(), letter("zoe@navigation.example"), parcel(t, large))
		require.NoError(t, err, name)
		assert.Contains(t, told, "too large", name)
		mails := box.Mails()
		require.Len(t, mails, 1, name)
		assert.Empty(t, mails[0].Files)
		assert.Contains(t, mails[0].Text, "The file is too large to be attached.")
		require.NoError(t, box.Close())
	}
}

// TestMailTLS: nothing is sent in the clear, nor to a server that is another one.
func TestMailTLS(t *testing.T) {
	certificate, pool := certified(t, "127.0.0.1")
	other, _ := certified(t, "127.0.0.1")
	elsewhere, elsewherePool := certified(t, "elsewhere.example")
	try := func(with func(*smtp.Server), server delivery.MailServer, roots *x509.CertPool, password string) (*mailbox.Mailbox, error) {
		box, err := mailbox.Listen("127.0.0.1:0", with)
		require.NoError(t, err)
		t.Cleanup(func() { _ = box.Close() })
		server.Server, server.From = box.Address(), "reports@navigation.example"
		m := &delivery.Mailer{Server: server, Roots: roots, Password: func(context.Context) (string, bool) { return password, password != "" }}
		_, err = m.Send(t.Context(), letter("zoe@navigation.example"), delivery.Parcel{ID: "pg-1"})
		return box, err
	}
	with := func(c tls.Certificate) func(*smtp.Server) {
		return func(s *smtp.Server) { s.TLSConfig = &tls.Config{Certificates: []tls.Certificate{c}} }
	}
	box, err := try(with(certificate), delivery.MailServer{TLS: "starttls"}, pool, "")
	require.NoError(t, err)
	require.Len(t, box.Mails(), 1)
	listener, err := tls.Listen("tcp", "127.0.0.1:0", &tls.Config{Certificates: []tls.Certificate{certificate}})
	require.NoError(t, err)
	encrypted := mailbox.Serve(listener, nil)
	defer encrypted.Close()
	_, err = (&delivery.Mailer{Server: delivery.MailServer{Server: encrypted.Address(), TLS: "tls", From: "reports@navigation.example"}, Roots: pool}).Send(t.Context(), letter("zoe@navigation.example"), delivery.Parcel{ID: "pg-1"})
	require.NoError(t, err)
	require.Len(t, encrypted.Mails(), 1)
	_, err = try(nil, delivery.MailServer{TLS: "tls"}, pool, "")
	require.Error(t, err, "a server that does not speak TLS from the beginning")

	for name, c := range map[string]struct {
		with  func(*smtp.Server)
		roots *x509.CertPool
		says  string
	}{
		"no TLS is offered":                {nil, pool, "offers no TLS"},
		"nobody vouches for it":            {with(other), pool, "certificate of the mail server is not good"},
		"the certificate is another's":     {with(elsewhere), elsewherePool, "certificate of the mail server is not good"},
		"the system does not vouch for it": {with(certificate), nil, "certificate of the mail server is not good"},
	} {
		box, err := try(c.with, delivery.MailServer{TLS: "starttls"}, c.roots, "")
		var failure *delivery.Failure
		require.ErrorAs(t, err, &failure, name)
		assert.Contains(t, failure.Message, c.says, "%s: %v", name, err)
		assert.False(t, failure.Final, "the administrator may mend it")
		assert.Empty(t, box.Mails(), name)
	}
}

// login is a session that asks for a password.
type login struct{ smtp.Session }

func (login) AuthMechanisms() []string { return []string{sasl.Plain} }

func (l login) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, name, password string) error {
		if name != "reports" || password != "lock gate" {
			return errors.New("wrong")
		}
		return nil
	}), nil
}

// TestMailLogin: the password goes to a server that is known, and a wrong one is said.
func TestMailLogin(t *testing.T) {
	certificate, pool := certified(t, "127.0.0.1")
	try := func(password string) (*mailbox.Mailbox, error) {
		box, err := mailbox.Listen("127.0.0.1:0", func(s *smtp.Server) {
			inner := s.Backend
			s.TLSConfig = &tls.Config{Certificates: []tls.Certificate{certificate}}
			s.Backend = smtp.BackendFunc(func(c *smtp.Conn) (smtp.Session, error) {
				session, err := inner.NewSession(c)
				return login{session}, err
			})
		})
		require.NoError(t, err)
		t.Cleanup(func() { _ = box.Close() })
		m := &delivery.Mailer{
			Server: delivery.MailServer{Server: box.Address(), From: "reports@navigation.example", Login: "reports", Secret: "mail"}, Roots: pool,
			Password: func(context.Context) (string, bool) { return password, password != "" },
		}
		_, err = m.Send(t.Context(), letter("zoe@navigation.example"), delivery.Parcel{ID: "pg-1"})
		return box, err
	}
	box, err := try("lock gate")
	require.NoError(t, err)
	require.Len(t, box.Mails(), 1)
	box, err = try("guessed")
	assert.ErrorContains(t, err, "refused the login")
	assert.Empty(t, box.Mails())
	_, err = try("")
	assert.ErrorContains(t, err, "There is no secret mail")
}

// TestMailHeads: nothing that people wrote adds a line to the head of a mail.
func TestMailHeads(t *testing.T) {
	box, err := mailbox.Listen("127.0.0.1:0", nil)
	require.NoError(t, err)
	defer box.Close()
	m := &delivery.Mailer{Server: delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example"}}
	for _, change := range []func(*delivery.Letter, *delivery.Parcel){
		func(l *delivery.Letter, _ *delivery.Parcel) { l.Subject = "Dues\r\nBcc: all@navigation.example" },
		func(l *delivery.Letter, _ *delivery.Parcel) {
			l.To = "zoe@navigation.example\nRCPT TO:<all@navigation.example>"
		},
		func(_ *delivery.Letter, p *delivery.Parcel) { p.Name = "a.csv\r\nX: y" },
	} {
		l, p := letter("zoe@navigation.example"), parcel(t, "x")
		change(&l, &p)
		_, err := m.Send(t.Context(), l, p)
		var failure *delivery.Failure
		require.ErrorAs(t, err, &failure)
		assert.True(t, failure.Final)
	}
	assert.Empty(t, box.Mails())
}

// TestMailSlow: a server that takes the connection and says nothing holds nothing up for ever.
func TestMailSlow(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	m := &delivery.Mailer{Server: delivery.MailServer{Server: listener.Addr().String(), TLS: "none", From: "reports@navigation.example"}}
	ctx, stop := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer stop()
	_, err = m.Send(ctx, letter("zoe@navigation.example"), delivery.Parcel{ID: "pg-1"})
	require.Error(t, err)
	require.NoError(t, t.Context().Err())
}
