package identity

import (
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/store"
)

// TestTokenForm: a token checks itself, and is recognised in any text.
func TestTokenForm(t *testing.T) {
	token := newToken()
	assert.True(t, isToken(token))
	assert.True(t, HoldsToken("https://reports.example.org/?token="+token))
	assert.NotEqual(t, token, newToken())
	for at := range token {
		other := byte('a')
		if token[at] == other {
			other = 'b'
		}
		assert.False(t, isToken(token[:at]+string(other)+token[at+1:]), at)
		assert.False(t, isToken(token[:at]), at)
	}
	assert.False(t, isToken(token+"a"))
	assert.Len(t, hashOf(token), 64)
}

// TestFactor: a code holds for its step and the ones beside it, and is not taken again.
func TestFactor(t *testing.T) {
	secret, address, err := newFactor("rita", "Pike Gate")
	require.NoError(t, err)
	assert.Contains(t, address, "issuer=Pike%20Gate")
	now := time.Unix(1_800_000_010, 0)
	code, err := totp.GenerateCode(secret, now)
	require.NoError(t, err)
	step, ok := stepOf(code, secret, now, 0)
	assert.True(t, ok)
	for _, c := range []struct {
		moved time.Duration
		last  int64
		ok    bool
	}{{0, 0, true}, {30 * time.Second, 0, true}, {-30 * time.Second, 0, true}, {61 * time.Second, 0, false}, {-61 * time.Second, 0, false}, {0, step, false}, {0, step - 1, true}, {0, step + 5, false}} {
		_, ok := stepOf(code, secret, now.Add(c.moved), c.last)
		assert.Equal(t, c.ok, ok, c)
	}
	for _, wrong := range []string{"", "000", "abcdef", "1234567"} {
		_, ok := stepOf(wrong, secret, now, 0)
		assert.False(t, ok, wrong)
	}
	codes, hashes := newRecovery()
	left, ok := useRecovery(" "+strings.ToUpper(codes[4])+" ", hashes)
	assert.True(t, ok)
	assert.Len(t, left, recoveryCodes-1)
	assert.Len(t, hashes, recoveryCodes, "what is kept is not changed")
	_, ok = useRecovery(codes[4], left)
	assert.False(t, ok)
}

// TestVault: what was sealed opens in its place and under its key alone.
func TestVault(t *testing.T) {
	v, err := NewVault(NewKey())
	require.NoError(t, err)
	sealed := v.Seal("open sesame", "secret dues")
	assert.NotEqual(t, sealed, v.Seal("open sesame", "secret dues"))
	text, err := v.Unseal(sealed, "secret dues")
	require.NoError(t, err)
	assert.Equal(t, "open sesame", text)
	other, err := NewVault(NewKey())
	require.NoError(t, err)
	_, err = other.Unseal(sealed, "secret dues")
	assert.Error(t, err)
	_, err = v.Unseal(sealed, "secret tolls")
	assert.Error(t, err)
	for at := range sealed {
		changed := append([]byte{}, sealed...)
		changed[at] ^= 1
		_, err := v.Unseal(changed, "secret dues")
		assert.Error(t, err, at)
	}
	_, err = v.Unseal(nil, "secret dues")
	assert.Error(t, err)
	_, err = NewVault([]byte("short"))
	assert.Error(t, err)
	one, _ := v.Derived("one")
	two, _ := v.Derived("two")
	assert.NotEqual(t, one, two)
}

// TestWeakness: length alone is asked for, and that it is not among the first that are
// tried.
func TestWeakness(t *testing.T) {
	for password, code := range map[string]string{
		"nine barges at the lock": "", "ÄÖÜ trägt Kähne 4": "", "🚢🚢🚢🚢 lock 🚢🚢🚢🚢": "", "correct horse battery staple": "", "xkqzjwvbnmrt": "",
		"": "password_short", "elevenchars": "password_short", strings.Repeat("a b ", 51): "password_long", "rita loves boats": "password_has_name", "Hello Margarita Lind!": "password_has_name",
		"123456789012": "password_common", "password1234": "password_common", "qwertyuiop[]": "password_common", "abcabcabcabc": "password_common",
	} {
		found := weakness(password, "rita", "Lind")
		if code == "" {
			assert.Empty(t, found, password)
		} else if assert.NotEmpty(t, found, password) {
			assert.Equal(t, code, found[0].Code, password)
		}
	}
}

// TestTries: so many failures are let in, then one for each stretch of time; successes
// cost nothing, and those under way count.
func TestTries(t *testing.T) {
	tries := newTries(time.Minute, 3)
	now := time.Unix(0, 0)
	fail := func(key string) bool {
		done, wait := tries.begin(key, now)
		if done == nil {
			assert.Equal(t, time.Minute, wait)
			return false
		}
		done(true)
		return true
	}
	for range 10 {
		done, _ := tries.begin("good", now)
		require.NotNil(t, done)
		done(false)
	}
	assert.Equal(t, []bool{true, true, true, false, false}, []bool{fail("bad"), fail("bad"), fail("bad"), fail("bad"), fail("bad")})
	assert.True(t, fail("other"))
	now = now.Add(time.Minute)
	assert.Equal(t, []bool{true, false}, []bool{fail("bad"), fail("bad")})
	var under []func(bool)
	for range 5 {
		if done, _ := tries.begin("many", now); done != nil {
			under = append(under, done)
		}
	}
	assert.Len(t, under, 3)
	for i := range mostTried + 100 {
		now = now.Add(time.Millisecond)
		fail("key " + time.Duration(i).String())
	}
	assert.LessOrEqual(t, len(tries.of), mostTried)
}

// TestRights: a right holds in a folder and all below it, each with those before it; a
// role bounds what can be granted.
func TestRights(t *testing.T) {
	groups := []store.Group{{Name: "clerks", Members: []string{"rita", "ann"}}, {Name: "keepers", Members: []string{"bo"}}}
	grants := []store.Grant{
		{Kind: "folder", Place: "dues", Right: Publish, ToKind: "group", To: "clerks"},
		{Kind: "folder", Place: "dues/secret", Right: Run, ToKind: "group", To: "keepers"},
		{Kind: "folder", Place: "", Right: Run, ToKind: "user", To: "bo"},
		{Kind: "source", Place: "tolls", Right: SQL, ToKind: "group", To: "clerks"},
		{Kind: "folder", Place: "old", Right: "gone", ToKind: "user", To: "rita"},
	}
	who := func(name, role string) Actor {
		return Actor{person: personOf(store.User{Name: name, Role: role}, groups, grants)}
	}
	rita, ann, bo, ada := who("rita", Reader), who("ann", Author), who("bo", Author), who("ada", Administrator)
	for _, c := range []struct {
		who           Actor
		right, folder string
		may           bool
	}{
		{rita, Run, "dues", true},
		{rita, Run, "dues/monthly/old", true},
		{rita, Run, "", false},
		{rita, Run, "duesmonthly", false},
		{rita, Publish, "dues", false},
		{rita, Run, "old", false},
		{ann, Draft, "dues/secret", true},
		{ann, Publish, "dues/a/b", true},
		{ann, Manage, "dues", false},
		{bo, Run, "anything/at/all", true},
		{bo, Draft, "dues", false},
		{ada, Manage, "anywhere", true},
		{Actor{person: open}, Manage, "anywhere", true},
		{Actor{}, Run, "", false},
	} {
		assert.Equal(t, c.may, c.who.May(c.right, c.folder), "%s %s %s", c.who.Name(), c.right, c.folder)
	}
	assert.True(t, ann.MayOn(Read, "tolls"))
	assert.True(t, ann.MayOn(SQL, "tolls"))
	assert.False(t, ann.MayOn(Manage, "tolls"))
	assert.False(t, ann.MayOn(Read, "others"))
	assert.False(t, rita.MayOn(Read, "tolls"), "a reader writes nothing")
	assert.Equal(t, map[string]string{"dues": Publish}, rita.Folders())
	read := ann
	read.token = &store.Token{Scope: ReadOnly}
	assert.False(t, read.Writes())
	assert.True(t, ann.Writes())
	assert.False(t, Actor{}.Writes())
}

// TestAttributeNames: an attribute has a name that a row rule can write, whoever gives it.
func TestAttributeNames(t *testing.T) {
	for name, is := range map[string]bool{"regions": true, "home_lock": true, "lock2": true, "": false, "home-lock": false, "Home": false, "_lock": false, "lock_": false, "from": false, "through": false, "until": false, "a b": false, "höhe": false} {
		assert.Equal(t, is, IsAttribute(name), name)
		provider := ProviderConfig{Issuer: "https://people.example.org", ClientID: "reports"}
		provider.Claims.Attributes = map[string]string{name: "claim"}
		assert.Equal(t, is, provider.Validate() == nil, name)
	}
}
