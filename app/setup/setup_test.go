package setup

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A password costs what RFC 9106 recommends, and a hash of another cost is checked all the same.
func TestWhatAPasswordCosts(t *testing.T) {
	dear := hashed("larch-and-lantern", asDear)
	assert.True(t, strings.HasPrefix(dear, "$argon2id$v=19$m=65536,t=3,p=4$"), dear)
	HashCheaply()
	cheap := HashPassword("larch-and-lantern")
	assert.NotContains(t, cheap, "m=65536")
	for _, hash := range []string{dear, cheap} {
		assert.True(t, passwordFits("larch-and-lantern", hash))
		assert.False(t, passwordFits("larch-and-lanterm", hash))
	}
	for _, broken := range []string{"", "larch-and-lantern", "$argon2id$v=19$m=8,t=1,p=1$AAAA$", "$argon2id$v=19$m=x$AAAA$AAAA"} {
		assert.False(t, passwordFits("larch-and-lantern", broken), broken)
	}
}
