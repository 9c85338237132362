package process

import (
	"bytes"
	"compress/gzip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A program in gzip reads as the program does; a torn one is refused.
func TestReadGCodePacked(t *testing.T) {
	program := []byte("G90\nM83\nG1 Z0.2 F600\nG1 X100 E4 F600\nG1 Y50 E2\n")
	want, err := ReadGCode(bytes.NewReader(program), OrdinaryGCodeMachine())
	require.NoError(t, err)
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, err = z.Write(program)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	got, err := ReadGCode(bytes.NewReader(packed.Bytes()), OrdinaryGCodeMachine())
	require.NoError(t, err)
	assert.Equal(t, want, got)
	for _, n := range []int{3, 12, packed.Len() - 6} {
		_, err = ReadGCode(bytes.NewReader(packed.Bytes()[:n]), OrdinaryGCodeMachine())
		assert.Error(t, err, "%d bytes of it", n)
	}
}
