package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/solid"
	"sakuji/web/kit"
)

func TestOutlineSVG(t *testing.T) {
	o := solid.Outline{{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 10}, {X: 0, Y: 10}}}
	svg := string(kit.OutlineSVG(o, 42, 42))
	assert.Contains(t, svg, `d="M1.0 41.0L41.0 41.0L41.0 21.0L1.0 21.0Z"`, "it stands on its base, as large as it fits")
	assert.Empty(t, kit.OutlineSVG(nil, 40, 40))
}
