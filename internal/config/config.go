// Package config is what can be set from outside: one struct, filled from
// flags, whose defaults come from the environment.
package config

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"os"
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
)

// Serve is the configuration of a running service.
type Serve struct {
	// Listen is HOST:PORT; port 0 picks a free one. Default 127.0.0.1:7180.
	Listen string
	// Data is the folder of our own records. It is made if need be.
	Data string
	// Calendar is how dates are read; an empty zone means the machine's own.
	Calendar civil.Settings
	// Secrets is a file of passwords, NAME=PASSWORD; those in the environment
	// come first.
	Secrets string
	// TimeLimit is the longest a statement may take; 0 means no limit.
	TimeLimit time.Duration
	// Stall is how long a caller may take nothing of what is sent to it; 0 means
	// for ever.
	Stall time.Duration
	// Memory is what the service keeps to, in MiB; 0 means no limit.
	Memory int
	// Folders are those that files of sources may be in; none means anywhere.
	Folders []string
	// Keep is how long, and how many, records of runs are kept.
	Keep Keep
	// TLSCert and TLSKey are the files of the service's own certificate, blank for none.
	TLSCert, TLSKey string
	// IdentityProvider is the file that tells of one, blank for none.
	IdentityProvider string
	// Destinations is the file that says where schedules may deliver, blank for none.
	Destinations string
	// ExportsTold is the number of records above which the audit log is told of an export.
	ExportsTold int64
	// BehindProxy are the networks of the proxies whose word is taken, PublicURL is the
	// address people use. Validate reads them into Proxies and Public.
	BehindProxy []string
	PublicURL   string
	Proxies     []netip.Prefix
	Public      *url.URL
}

// OnLoopback tells whether the service listens on this machine's loopback.
func (s Serve) OnLoopback() bool {
	host, _, _ := net.SplitHostPort(s.Listen)
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// Keep bounds the records of runs; 0 means no bound.
type Keep struct {
	Days, Runs, MiB int
	// TypedDays is how long what people typed is kept.
	TypedDays int
}

// DefaultListen is where a service listens and where clients look for it.
const DefaultListen = "127.0.0.1:7180"

// DefaultServer is the address clients use unless told otherwise.
func DefaultServer() string {
	return env("PIKEGATE_SERVER", "http://"+DefaultListen)
}

// DefaultServe is the configuration before flags are read; data is the
// default folder.
func DefaultServe(data string) Serve {
	return Serve{
		Listen:    env("PIKEGATE_LISTEN", DefaultListen),
		Data:      env("PIKEGATE_DATA", data),
		Secrets:   os.Getenv("PIKEGATE_SECRETS"),
		Calendar:  civil.Settings{Zone: os.Getenv("PIKEGATE_ZONE")},
		TimeLimit: 5 * time.Minute,
		Stall:     30 * time.Second,
		Memory:    DefaultMemory,

		IdentityProvider: os.Getenv("PIKEGATE_IDENTITY_PROVIDER"),
		Destinations:     os.Getenv("PIKEGATE_DESTINATIONS"),
		ExportsTold:      10_000,
		Keep:             Keep{Days: 730, Runs: 1_000_000, MiB: 4096, TypedDays: 365},
	}
}

func env(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}

// Validate tells what is wrong with the configuration, nil if nothing.
func (s *Serve) Validate() error {
	_, port, err := net.SplitHostPort(s.Listen)
	if err != nil {
		return fmt.Errorf("--listen %s is not HOST:PORT", s.Listen)
	}
	if n, err := strconv.Atoi(port); err != nil || n < 0 || n > 65535 {
		return fmt.Errorf("--listen %s: the port must be a number from 0 to 65535", s.Listen)
	}
	if (s.TLSCert == "") != (s.TLSKey == "") {
		return errors.New("--tls-cert and --tls-key go together")
	}
	for _, network := range s.BehindProxy {
		prefix, err := netip.ParsePrefix(network)
		if err != nil {
			address, failed := netip.ParseAddr(network)
			if failed != nil {
				return fmt.Errorf("--behind-proxy %s is not a network such as 10.1.2.0/24, nor an address", network)
			}
			prefix = netip.PrefixFrom(address, address.BitLen())
		}
		s.Proxies = append(s.Proxies, prefix)
	}
	if s.PublicURL != "" {
		u, err := url.Parse(s.PublicURL)
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.User != nil {
			return fmt.Errorf("--public-url %s is not an address such as https://reports.example.org", s.PublicURL)
		}
		s.Public = u
	}
	switch {
	case len(s.Proxies) > 0 && s.Public == nil:
		return errors.New("--behind-proxy needs --public-url, the address people use")
	case !s.OnLoopback() && s.TLSCert == "" && len(s.Proxies) == 0:
		return fmt.Errorf("--listen %s is refused: beyond this machine's loopback the service needs --tls-cert and --tls-key, or --behind-proxy and --public-url", s.Listen)
	case !s.OnLoopback() && s.TLSCert == "" && s.Public.Scheme != "https":
		return fmt.Errorf("--public-url %s is refused: beyond this machine's loopback people have to use https", s.PublicURL)
	}
	if s.TimeLimit < 0 {
		return fmt.Errorf("--time-limit %s is negative", s.TimeLimit)
	}
	if s.Stall < 0 {
		return fmt.Errorf("--stall %s is negative", s.Stall)
	}
	for flag, n := range map[string]int{"--memory": s.Memory, "--keep-days": s.Keep.Days, "--keep-runs": s.Keep.Runs, "--keep-mib": s.Keep.MiB, "--keep-typed-days": s.Keep.TypedDays, "--exports-told": int(s.ExportsTold)} {
		if n < 0 {
			return fmt.Errorf("%s %d is negative", flag, n)
		}
	}
	_, err = Calendar(s.Calendar, time.Time{})
	return err
}

// Location loads a zone by its IANA name.
func Location(name string) (*time.Location, error) {
	zone, err := time.LoadLocation(name)
	if err != nil || name == "Local" {
		return nil, fmt.Errorf("there is no zone %q; write an IANA name such as Europe/London", name)
	}
	return zone, nil
}

// localZone is the machine's zone under its IANA name where that is known, so
// that records of runs name a zone that reads the same elsewhere.
func localZone() *time.Location {
	if name := os.Getenv("TZ"); name != "" {
		if zone, err := time.LoadLocation(name); err == nil {
			return zone
		}
	}
	if path, err := os.Readlink("/etc/localtime"); err == nil {
		const folder = "zoneinfo/"
		for i := range path {
			if len(path)-i > len(folder) && path[i:i+len(folder)] == folder {
				if zone, err := time.LoadLocation(path[i+len(folder):]); err == nil {
					return zone
				}
			}
		}
	}
	return time.UTC
}

// Calendar is the context dates are read in, its clock set to now.
func Calendar(s civil.Settings, now time.Time) (civil.Calendar, error) {
	return In(civil.Calendar{Zone: localZone(), Now: civil.Instant(now.Unix()), WeekStart: time.Monday, FiscalStart: 1}, s)
}

// In is a context as the settings have it.
func In(ctx civil.Calendar, s civil.Settings) (civil.Calendar, error) {
	ctx, problems := s.Apply(ctx, Location)
	if len(problems) > 0 {
		p := problems[0]
		return ctx, fmt.Errorf("--%s: %s %s", strings.ReplaceAll(p.Field, "_", "-"), p.Message, p.Hint)
	}
	return ctx, nil
}
