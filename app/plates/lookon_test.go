package plates_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

// A plan that is looked for longer is never worse than a moment's, may be laid as it was shown, and is
// not laid when other pieces wait by then.
func TestLookingLonger(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(40, route.Raw)
	s.Accept(no)
	ask := func(seconds int) plates.WhatIf {
		w, err := s.Plates.WhatIf(s.Ctx, process.Resin, s.Resin, studio.PrintProfile{}, studio.OtherMachine{}, seconds)
		require.NoError(t, err)
		return w
	}
	at := ask(0)
	assert.Nil(t, at.LookedOn)
	w := ask(1)
	require.NotNil(t, w.LookedOn)
	require.NotEmpty(t, w.Ways, "something is shown from the first moment on")
	require.Eventually(t, func() bool { w = ask(1); return w.LookedOn.Over }, 3*time.Minute, 100*time.Millisecond)
	assert.Greater(t, w.LookedOn.Rounds, 1)
	require.Len(t, w.Ways, len(at.Ways))
	for k := range w.Ways {
		assert.False(t, w.Ways[k].Ends.After(at.Ways[k].Ends))
	}
	numbers, left, err := s.Plates.LayWay(s.Ctx, s.Bench, process.Resin, s.Resin, studio.PrintProfile{}, s.Tarn, 1)
	require.NoError(t, err)
	assert.Empty(t, left)
	require.Len(t, numbers, len(w.Ways[0].Runs))
	for k, n := range numbers {
		assert.Len(t, apptest.Lies(t, s, n).Pieces, len(w.Ways[0].Runs[k].Laid))
	}
	_, _, err = s.Plates.LayWay(s.Ctx, s.Bench, process.Resin, s.Resin, studio.PrintProfile{}, s.Tarn, 1)
	apptest.Refusal(t, err, "not there any more")
}
