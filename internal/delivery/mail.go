package delivery

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	_ "embed"
	"errors"
	"html/template"
	"net"
	"os"
	"strconv"
	"strings"
	texttemplate "text/template"
	"time"

	"github.com/wneessen/go-mail"

	"pikegate/core/definition"
)

// sending is how long a server may take with one mail.
const sending = 3 * time.Minute

// Letter is a mail about a part of an occurrence.
type Letter struct {
	To, Subject string
	// Title is the report's; ReadBack what was selected; Records how many there are, and First
	// and Last their dates.
	Title, ReadBack, Records, First, Last string
	// Reason tells why there are none.
	Reason string
	// Totals are what was made of all records.
	Totals []Stated
	// AsOf is the time its dates were read as of, ReadAt when the records were read; both in words.
	AsOf, ReadAt string
	// Link leads to the run, blank where the service has no address of its own; TooLarge tells that
	// the file is not attached because of its size.
	Link     string
	TooLarge bool
	// Schedule is the title of the schedule, Sender whose it is.
	Schedule, Sender string
	// Unsubscribe is an address where whoever reads it ends that they get it; blank for none.
	Unsubscribe string
	// Date is when it was first sent.
	Date time.Time
}

// Stated is something that is said of a result, by its label.
type Stated struct{ Label, Value string }

//go:embed letter.txt
var plainLetter string

//go:embed letter.html
var htmlLetter string

var (
	plainTemplate = texttemplate.Must(texttemplate.New("letter.txt").Parse(plainLetter))
	htmlTemplate  = template.Must(template.New("letter.html").Parse(htmlLetter))
)

// Mailer hands mail to a server.
type Mailer struct {
	Server MailServer
	// Password gives the password that the server asks for.
	Password func(ctx context.Context) (string, bool)
	// Roots are what certificates go back to; nil is the system's.
	Roots *x509.CertPool
}

// Send hands a letter over, with the file of the parcel where it has one and it is not too large:
// the mail has the identity of the parcel. It gives what is to be known of how it went.
func (m *Mailer) Send(ctx context.Context, l Letter, p Parcel) (told string, err error) {
	ctx, stop := context.WithTimeout(ctx, sending)
	defer stop()
	l.TooLarge = p.Spooled != "" && p.Bytes > m.Server.Attachable()
	told, err = m.try(ctx, l, p)
	var failure *mail.SendError
	if errors.As(err, &failure) && p.Spooled != "" && !l.TooLarge && tooLarge(failure) {
		l.TooLarge = true // for this server
		told, err = m.try(ctx, l, p)
	}
	if err == nil && l.TooLarge {
		told = "Without the file, which is too large to be attached. " + told
	}
	return strings.TrimSpace(told), m.failed(ctx, err)
}

// tooLarge tells whether a server refused a mail for its size; source: RFC 1870, RFC 3463.
func tooLarge(e *mail.SendError) bool {
	return (e.ErrorCode() == 552 || e.ErrorCode() == 523) && e.EnhancedStatusCode() != "5.2.2" || e.EnhancedStatusCode() == "5.3.4" || e.EnhancedStatusCode() == "5.2.3"
}

// failed says what went wrong.
func (m *Mailer) failed(ctx context.Context, err error) error {
	var sent *mail.SendError
	var own *Failure
	var unknown x509.UnknownAuthorityError
	var named x509.HostnameError
	var invalid x509.CertificateInvalidError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &own):
		return err
	case errors.As(err, &sent) && sent.Reason == mail.ErrSMTPRcptTo:
		return &Failure{Message: "The mail server refused the recipient.", Final: !sent.IsTemp(), Err: plainly(err)}
	case errors.As(err, &sent):
		return &Failure{Message: "The mail server refused the mail.", Final: !sent.IsTemp() && sent.ErrorCode() >= 500, Err: plainly(err)}
	case errors.As(err, &unknown), errors.As(err, &named), errors.As(err, &invalid):
		return &Failure{Message: "The certificate of the mail server is not good, and nothing was sent.", Err: err}
	case errors.Is(err, mail.ErrNoActiveConnection), ended(ctx):
		return &Failure{Message: "The mail server did not answer in time.", Err: err}
	case strings.Contains(err.Error(), "STARTTLS"):
		return &Failure{Message: "The mail server offers no TLS, and nothing is sent in the clear.", Err: err}
	case strings.Contains(err.Error(), "AUTH"):
		return &Failure{Message: "The mail server refused the login.", Err: err}
	}
	return &Failure{Message: "The mail server cannot be used.", Err: err}
}

// plainly is what the server said, in one line and not too long.
func plainly(err error) error {
	text := readable([]byte(err.Error()))
	if len(text) > longestAnswer {
		text = strings.ToValidUTF8(text[:longestAnswer], "")
	}
	return errors.New(text)
}

func (m *Mailer) try(ctx context.Context, l Letter, p Parcel) (string, error) {
	message, err := m.message(l, p)
	if err != nil {
		return "", err
	}
	client, err := m.client(ctx)
	if err != nil {
		return "", err
	}
	session, err := client.DialToSMTPClientWithContext(ctx)
	if err != nil {
		return "", err
	}
	err = client.SendWithSMTPClient(session, message)
	_ = client.CloseWithSMTPClient(session) // whatever it says, the mail was taken or not
	if message.IsDelivered() {
		return message.ServerResponse(), nil
	}
	return "", err
}

// client is that for the server.
func (m *Mailer) client(ctx context.Context) (*mail.Client, error) {
	host, port, err := net.SplitHostPort(m.Server.Server)
	if err != nil {
		return nil, err
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return nil, err
	}
	secure := &tls.Config{ServerName: host, RootCAs: m.Roots, MinVersion: tls.VersionTLS12}
	options := []mail.Option{
		mail.WithPort(number), mail.WithTimeout(answering), mail.WithoutNoop(), mail.WithTLSConfig(secure),
		mail.WithDialContextFunc(func(dialing context.Context, network, address string) (net.Conn, error) {
			conn, err := (&net.Dialer{Timeout: connecting}).DialContext(dialing, network, address)
			if err != nil {
				return nil, err
			}
			context.AfterFunc(ctx, func() { _ = conn.Close() }) // the library waits whatever the context says
			if m.Server.TLS != "tls" {
				return conn, nil
			}
			encrypted := tls.Client(conn, secure)
			return encrypted, encrypted.HandshakeContext(dialing)
		}),
	}
	switch m.Server.TLS {
	case "tls":
		options = append(options, mail.WithSSL())
	case "none":
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if m.Server.Login != "" {
		password, ok := m.Password(ctx)
		if !ok {
			return nil, &Failure{Message: "There is no secret " + m.Server.Secret + " for the mail server."}
		}
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(m.Server.Login), mail.WithPassword(password))
	}
	return mail.NewClient(host, options...)
}

// message puts a mail together. What stands in its head has no line breaks.
func (m *Mailer) message(l Letter, p Parcel) (*mail.Msg, error) {
	for _, value := range []string{l.To, l.Subject, p.Name, p.ID} {
		if strings.ContainsAny(value, "\r\n\x00") {
			return nil, &Failure{Message: "What would stand in the head of the mail has a line break in it.", Final: true}
		}
	}
	message := mail.NewMsg(mail.WithNoDefaultUserAgent())
	if err := errors.Join(message.FromFormat("Pike Gate", m.Server.From), message.To(l.To)); err != nil {
		return nil, &Failure{Message: "The address cannot be used.", Final: true, Err: err}
	}
	message.Subject(l.Subject)
	message.SetMessageIDWithValue(p.ID + "@" + definition.Domain(m.Server.From))
	message.SetDateWithValue(l.Date)
	message.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: nobody answers with "out of office"
	if l.Unsubscribe != "" {                                 // RFC 8058
		message.SetGenHeader(mail.HeaderListUnsubscribe, "<"+l.Unsubscribe+">")
		message.SetGenHeader(mail.HeaderListUnsubscribePost, "List-Unsubscribe=One-Click")
	}
	var plain, html bytes.Buffer
	if err := errors.Join(plainTemplate.Execute(&plain, l), htmlTemplate.Execute(&html, l)); err != nil {
		return nil, &Failure{Message: "The mail cannot be written.", Final: true, Err: err}
	}
	message.SetBodyString(mail.TypeTextPlain, plain.String())
	message.AddAlternativeString(mail.TypeTextHTML, html.String())
	if p.Spooled != "" && !l.TooLarge {
		if _, err := os.Stat(p.Spooled); err != nil {
			return nil, &Failure{Message: "The file cannot be read.", Err: err}
		}
		message.AttachFile(p.Spooled, mail.WithFileName(p.Name), mail.WithFileContentType(mail.ContentType(p.ContentType)))
	}
	return message, nil
}
