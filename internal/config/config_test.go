package config_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/config"
)

func TestValidate(t *testing.T) {
	for listen, says := range map[string]string{
		"127.0.0.1:0": "", "localhost:7180": "", "[::1]:7180": "",
		"0.0.0.0:7180": "--tls-cert", ":7180": "--tls-cert", "192.168.0.1:80": "--tls-cert", "example.com:80": "--tls-cert",
		"127.0.0.1": "HOST:PORT", "127.0.0.1:x": "number", "127.0.0.1:70000": "number",
	} {
		err := (&config.Serve{Listen: listen}).Validate()
		if says == "" {
			assert.NoError(t, err, listen)
		} else {
			assert.ErrorContains(t, err, says, listen)
		}
	}
	for says, c := range map[string]config.Serve{
		"":                   {Listen: "0.0.0.0:443", TLSCert: "c", TLSKey: "k"},
		"go together":        {Listen: "127.0.0.1:0", TLSCert: "c"},
		"not a network":      {Listen: "127.0.0.1:0", BehindProxy: []string{"somewhere"}, PublicURL: "https://reports.example.org"},
		"needs --public-url": {Listen: "0.0.0.0:80", BehindProxy: []string{"10.0.0.0/8"}},
		"not an address":     {Listen: "127.0.0.1:0", PublicURL: "reports.example.org"},
		"use https":          {Listen: "0.0.0.0:80", BehindProxy: []string{"10.1.2.3"}, PublicURL: "http://reports.example.org"},
	} {
		if err := c.Validate(); says == "" {
			assert.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, says)
		}
	}
	assert.ErrorContains(t, (&config.Serve{Listen: "127.0.0.1:0", TimeLimit: -time.Second}).Validate(), "--time-limit")
	assert.ErrorContains(t, (&config.Serve{Listen: "127.0.0.1:0", Calendar: civil.Settings{Zone: "Nowhere"}}).Validate(), "IANA")
}

func TestCalendar(t *testing.T) {
	t.Setenv("TZ", "Asia/Kolkata")
	ctx, err := config.Calendar(civil.Settings{WeekStart: "sunday", FiscalStart: "4", FiscalNamedBy: "start", DateOrder: "mdy"}, time.Unix(5, 0))
	require.NoError(t, err)
	assert.Equal(t, "Asia/Kolkata", ctx.Zone.String(), "the machine's zone under its own name, never Local")
	ctx.Zone = nil
	assert.Equal(t, civil.Calendar{Now: 5, WeekStart: time.Sunday, FiscalStart: 4, FiscalByStart: true, Order: civil.OrderMDY}, ctx)
	for option, s := range map[string]civil.Settings{
		"--zone": {Zone: "Local"}, "--week-start": {WeekStart: "someday"}, "--fiscal-start": {FiscalStart: "13"},
		"--fiscal-named-by": {FiscalNamedBy: "middle"}, "--date-order": {DateOrder: "ymd"}, "--missing-year": {MissingYear: "past"}, "--two-digit-years": {TwoDigitYears: "70s"},
	} {
		_, err = config.Calendar(s, time.Time{})
		assert.ErrorContains(t, err, option)
	}
}

func TestEnvironment(t *testing.T) {
	assert.Equal(t, "http://127.0.0.1:7180", config.DefaultServer())
	t.Setenv("PIKEGATE_SERVER", "http://127.0.0.1:1")
	t.Setenv("PIKEGATE_LISTEN", "127.0.0.1:2")
	t.Setenv("PIKEGATE_DATA", "/there")
	t.Setenv("PIKEGATE_ZONE", "UTC")
	assert.Equal(t, "http://127.0.0.1:1", config.DefaultServer())
	c := config.DefaultServe("here")
	assert.Equal(t, []string{"127.0.0.1:2", "/there", "UTC"}, []string{c.Listen, c.Data, c.Calendar.Zone})
}
