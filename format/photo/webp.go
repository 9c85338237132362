package photo

import (
	"bytes"
	"encoding/binary"
	"slices"
)

// isWebP reports a file that begins as WebP does. Source: RFC 9649.
func isWebP(data []byte) bool {
	return len(data) >= 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP"
}

// stillWebP is a WebP that moves as a still one, of its first frame; any other, or one that is damaged, as it is.
// Source: RFC 9649, 2.7.1: an ANMF chunk holds where its frame lies, 16 bytes, and then the chunks of a picture.
func stillWebP(data []byte) []byte {
	for _, frame := range chunks(data[12:]) {
		if frame.name != "ANMF" || len(frame.data) < 16 {
			continue
		}
		inside := chunks(frame.data[16:])
		at := slices.IndexFunc(inside, func(c chunk) bool { return c.name == "VP8 " || c.name == "VP8L" })
		if at < 0 {
			return data
		}
		var body bytes.Buffer
		body.WriteString("WEBP")
		if seen := slices.IndexFunc(inside[:at], func(c chunk) bool { return c.name == "ALPH" }); seen >= 0 {
			flags := make([]byte, 10) // the frame's own width and height, of 24 bits each, after the flag of an alpha channel
			flags[0] = 0x10
			copy(flags[4:], frame.data[6:12])
			body.Write(chunk{"VP8X", flags}.packed())
			body.Write(inside[seen].packed())
		}
		body.Write(inside[at].packed())
		return chunk{"RIFF", body.Bytes()}.packed()
	}
	return data
}

// chunk is a part of a RIFF file.
type chunk struct {
	name string
	data []byte
}

func (c chunk) packed() []byte {
	out := binary.LittleEndian.AppendUint32([]byte(c.name), uint32(len(c.data)))
	out = append(out, c.data...)
	if len(c.data)%2 == 1 {
		out = append(out, 0)
	}
	return out
}

// chunks are those that follow each other, up to the first that is cut off.
func chunks(data []byte) (list []chunk) {
	for len(data) >= 8 {
		n := int64(binary.LittleEndian.Uint32(data[4:]))
		if n > int64(len(data)-8) {
			break
		}
		list = append(list, chunk{string(data[:4]), data[8 : 8+n]})
		data = data[min(int64(len(data)), 8+n+n%2):]
	}
	return list
}
