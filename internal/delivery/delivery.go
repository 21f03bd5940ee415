// Package delivery takes what was made to where it goes: into folders, by mail, to web
// addresses. Each attempt at a delivery has the same identity and sends the same bytes.
package delivery

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"pikegate/core/definition"
)

// Failure says why something was not delivered.
type Failure struct {
	Message string
	// Final tells that another attempt would end in the same way.
	Final bool
	Err   error
}

func (f *Failure) Error() string {
	if f.Err == nil {
		return f.Message
	}
	return f.Message + " " + capitalised(f.Err.Error()) + "."
}

func (f *Failure) Unwrap() error { return f.Err }

func capitalised(text string) string {
	if text == "" {
		return text
	}
	return strings.ToUpper(text[:1]) + strings.TrimRight(text[1:], ".")
}

// Destinations are where things may go, as the administrator of the machine named them.
type Destinations struct {
	// Folders are paths by the names that schedules write.
	Folders map[string]string `yaml:"folders"`
	// Mail is the server that mail is handed to; its host is blank for none.
	Mail MailServer `yaml:"mail"`
	// Web are the hosts that requests may go to, with their ports where these are not usual.
	Web map[string]WebHost `yaml:"web"`
	// Mailbox is where the mails of a demonstration are shown, blank elsewhere.
	Mailbox string `yaml:"-"`
}

// MailServer is where mail is handed over.
type MailServer struct {
	// Server is HOST:PORT.
	Server string `yaml:"server"`
	// TLS is starttls, tls, or none, which is good for a server of this machine alone.
	TLS string `yaml:"tls"`
	// Login and Secret are how to enter it, blank for without.
	Login  string `yaml:"login"`
	Secret string `yaml:"secret"`
	// From is the address that mails come from.
	From string `yaml:"from"`
	// Domains are those that schedules may mail to; to the addresses of its own users the
	// service always may.
	Domains []string `yaml:"domains"`
	// Attach is how many MiB a file may have to go with a mail; 10 where it is 0.
	Attach int `yaml:"attach"`
}

// WebHost is a host that requests may go to.
type WebHost struct {
	// Private lets its name mean a private address, or one of this machine.
	Private bool `yaml:"private"`
}

// usualAttach is how many MiB a file may have to go with a mail, where nothing else is said.
const usualAttach = 10

// Attachable is how many bytes a file may have to go with a mail.
func (m MailServer) Attachable() int64 {
	if m.Attach == 0 {
		return usualAttach << 20
	}
	return int64(m.Attach) << 20
}

// Read reads what a file says of destinations; paths in it are from its folder.
func Read(content []byte, folder string) (Destinations, error) {
	var d Destinations
	if err := yaml.Load(content, &d, yaml.WithKnownFields()); err != nil {
		return d, err
	}
	for name, path := range d.Folders {
		if !filepath.IsAbs(path) {
			d.Folders[name] = filepath.Join(folder, path)
		}
	}
	return d, d.check()
}

var destinationName = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)

// check tells what is wrong with the destinations.
func (d Destinations) check() error {
	for name := range d.Folders {
		if !destinationName.MatchString(name) {
			return fmt.Errorf("folders: %q is not a name; write lower-case words joined by dashes", name)
		}
	}
	for host := range d.Web {
		if u, err := url.Parse("https://" + host); err != nil || u.Host != host || u.Hostname() == "" || host != strings.ToLower(host) {
			return fmt.Errorf("web: %q is not a host, with its port where that is not usual, in lower case", host)
		}
	}
	m := d.Mail
	if m.Server == "" {
		if m.From != "" || m.Login != "" || len(m.Domains) > 0 {
			return fmt.Errorf("mail: server is missing; write HOST:PORT")
		}
		return nil
	}
	host, _, err := net.SplitHostPort(m.Server)
	switch {
	case err != nil || host == "":
		return fmt.Errorf("mail: server %q is not HOST:PORT", m.Server)
	case !slices.Contains([]string{"", "starttls", "tls", "none"}, m.TLS):
		return fmt.Errorf("mail: tls %q is not starttls, tls or none", m.TLS)
	case m.TLS == "none" && !loopback(host):
		return fmt.Errorf("mail: tls none is good for a server of this machine alone")
	case !definition.IsMailAddress(m.From):
		return fmt.Errorf("mail: from %q is not a mail address", m.From)
	case (m.Login == "") != (m.Secret == ""):
		return fmt.Errorf("mail: login and secret go together")
	case m.Attach < 0:
		return fmt.Errorf("mail: attach %d is negative", m.Attach)
	}
	return nil
}

func loopback(host string) bool {
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.IsLoopback()
}

// Has tells whether the administrator named a place: folder:dues, mail:navigation.example,
// web:ledger.example, mail:* or keep.
func (d Destinations) Has(place string) bool {
	way, name, _ := strings.Cut(place, ":")
	switch way {
	case "folder":
		return d.Folders[name] != ""
	case "mail":
		return d.Mail.Server != "" && (name == "*" || slices.ContainsFunc(d.Mail.Domains, func(domain string) bool { return strings.EqualFold(domain, name) }))
	case "web":
		_, ok := d.Web[name]
		return ok
	}
	return way == "keep"
}

// Places are those that the administrator named.
func (d Destinations) Places() (places []string) {
	for name := range d.Folders {
		places = append(places, "folder:"+name)
	}
	for _, domain := range d.Mail.Domains {
		places = append(places, "mail:"+strings.ToLower(domain))
	}
	if d.Mail.Server != "" {
		places = append(places, "mail:*")
	}
	for host := range d.Web {
		places = append(places, "web:"+host)
	}
	places = append(places, "keep")
	slices.Sort(places)
	return places
}

// Parcel is what is delivered.
type Parcel struct {
	// ID is the identity of the delivery.
	ID string
	// Spooled is the path of the file, blank for none; Name is what it is called outside.
	Spooled, Name, ContentType string
	Bytes                      int64
}

// ended tells whether an attempt was broken off from our side.
func ended(ctx context.Context) bool { return ctx.Err() != nil }
