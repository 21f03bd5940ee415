package config_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/config"
)

func TestValidate(t *testing.T) {
	for listen, says := range map[string]string{
		"127.0.0.1:0": "", "localhost:7180": "", "[::1]:7180": "",
		"0.0.0.0:7180": "loopback only", ":7180": "loopback only", "192.168.0.1:80": "loopback only", "example.com:80": "loopback only",
		"127.0.0.1": "HOST:PORT", "127.0.0.1:x": "number", "127.0.0.1:70000": "number",
	} {
		err := config.Serve{Listen: listen}.Validate()
		if says == "" {
			assert.NoError(t, err, listen)
		} else {
			assert.ErrorContains(t, err, says, listen)
		}
	}
	assert.ErrorContains(t, config.Serve{Listen: "127.0.0.1:0", TimeLimit: -time.Second}.Validate(), "--time-limit")
	assert.ErrorContains(t, config.Serve{Listen: "127.0.0.1:0", Zone: "Nowhere"}.Validate(), "IANA")
}

func TestLocation(t *testing.T) {
	t.Setenv("TZ", "Asia/Kolkata")
	zone, err := config.Location("")
	require.NoError(t, err)
	assert.Equal(t, "Asia/Kolkata", zone.String(), "the machine's zone under its own name, never Local")
	_, err = config.Location("Local")
	assert.Error(t, err)
}

func TestEnvironment(t *testing.T) {
	assert.Equal(t, "http://127.0.0.1:7180", config.DefaultServer())
	t.Setenv("PIKEGATE_SERVER", "http://127.0.0.1:1")
	t.Setenv("PIKEGATE_LISTEN", "127.0.0.1:2")
	t.Setenv("PIKEGATE_DATA", "/there")
	t.Setenv("PIKEGATE_ZONE", "UTC")
	assert.Equal(t, "http://127.0.0.1:1", config.DefaultServer())
	c := config.DefaultServe("here")
	assert.Equal(t, []string{"127.0.0.1:2", "/there", "UTC"}, []string{c.Listen, c.Data, c.Zone})
}
