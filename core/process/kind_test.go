package process

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// A folder or an export may name a process that this program does not have: whatever is asked of it has an answer, and
// every rate it goes by is there.
func TestAProcessThatNobodyHas(t *testing.T) {
	k, book := Of("sintering"), rates.Starting()
	assert.Equal(t, []string{"Name"}, k.Lacks())
	for _, key := range []rates.Key{k.Failure, k.Support, k.LeastWall, k.StripArea} {
		assert.True(t, book.Has(key), key)
	}
	print := k.Print(Job{Shape: Shape{HeightMM: 40, VolumeMM3: 9000}, Machine: rates.Set{}, Material: rates.Set{}})
	assert.Equal(t, Print{HeightMM: 40}, print)
	assert.Zero(t, k.Run(nil)([]Print{print}))
	assert.Zero(t, k.Working(nil, []Print{print}).Result.Value)
	each, _ := k.Each(nil, print, 3)
	assert.Zero(t, each)
	assert.Zero(t, k.Layers(nil, 40))
	assert.NotEmpty(t, k.Caution(route.Print))
	assert.False(t, Known("sintering") || Known(""))
}
