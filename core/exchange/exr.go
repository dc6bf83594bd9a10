// Package exchange writes open formats: OpenEXR, glTF binary; and reads and
// writes Radiance HDR.
package exchange

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"visator/core/openexr"
)

// Channel is one layer of an OpenEXR picture, Stride values apart in Data from Offset on: 32-bit floats, or halves.
type Channel struct {
	Name           string // "R", "Z", "normal.X", ...
	Data           []float32
	Stride, Offset int
	Half           bool
	Exact          bool // halves would not do: numbers of things, distances
}

// bytes is how many a value takes.
func (c *Channel) bytes() int {
	if c.Half {
		return 2
	}
	return 4
}

// Halves are channels with 16 bits a value, but those that are exact.
func Halves(list []Channel) []Channel {
	list = slices.Clone(list)
	for i := range list {
		list[i].Half = !list[i].Exact
	}
	return list
}

// RGB returns the three channels of interleaved colour.
func RGB(prefix string, data []float32) []Channel {
	return []Channel{{Name: prefix + "R", Data: data, Stride: 3},
		{Name: prefix + "G", Data: data, Stride: 3, Offset: 1},
		{Name: prefix + "B", Data: data, Stride: 3, Offset: 2}}
}

// exrLines is how many scan lines one ZIP block holds (OpenEXR File Layout).
const exrLines = 16

// WriteEXR writes a single-part scan line OpenEXR file, ZIP compressed.
func WriteEXR(w io.Writer, width, height int, channels []Channel) error {
	return WriteEXRWith(w, width, height, channels, nil)
}

// longestName is that of names in files that every reader takes; longer ones are marked in the file's version.
const longestName, longNames = 31, 0x400

// EnvMap is the name among texts that says that a picture is one of all around: its text is "latlong" or "cube".
const EnvMap = "envmap"

// WriteEXRWith is WriteEXR with texts in the head of the file, by name.
func WriteEXRWith(w io.Writer, width, height int, channels []Channel, texts map[string]string) error {
	return writeEXR(w, width, height, channels, texts, false)
}

// WriteEXRPacked is WriteEXRWith, packed as DWAA: colours that need not be exact have 16 bits a value then, and lose
// what is hardly seen; all else is as it was.
func WriteEXRPacked(w io.Writer, width, height int, channels []Channel, texts map[string]string) error {
	channels = slices.Clone(channels)
	for i, c := range channels {
		third := c.Name[strings.LastIndexByte(c.Name, '.')+1:]
		if !c.Exact && (third == "R" || third == "G" || third == "B") {
			channels[i].Half = true
		}
	}
	return writeEXR(w, width, height, channels, texts, true)
}

func writeEXR(w io.Writer, width, height int, channels []Channel, texts map[string]string, dwa bool) error {
	channels = append([]Channel{}, channels...)
	lines, compression, block := exrLines, byte(3), exrBlock
	if dwa {
		lines, compression, block = openexr.DWALines, 8, dwaBlock
	}
	sort.Slice(channels, func(i, j int) bool { return channels[i].Name < channels[j].Name })
	for i, c := range channels {
		if len(c.Data) < (width*height-1)*c.Stride+c.Offset+1 {
			return fmt.Errorf("channel %s has %d values, too few for %d x %d", c.Name, len(c.Data), width, height)
		}
		if i > 0 && channels[i-1].Name == c.Name {
			return fmt.Errorf("channel %s is there twice", c.Name)
		}
	}
	var head bytes.Buffer
	le := binary.LittleEndian
	u32 := func(v uint32) { head.Write(le.AppendUint32(nil, v)) }
	attr := func(name, kind string, value []byte) {
		head.WriteString(name + "\x00" + kind + "\x00")
		u32(uint32(len(value)))
		head.Write(value)
	}
	u32(20000630)        // magic
	version := uint32(2) // one part, scan lines
	for name := range texts {
		if len(name) > 255 || strings.ContainsRune(name, 0) {
			return fmt.Errorf("%.40q names no text of a picture", name)
		}
		if len(name) > longestName {
			version |= longNames
		}
	}
	for _, c := range channels {
		if len(c.Name) > 255 || strings.ContainsRune(c.Name, 0) {
			return fmt.Errorf("%.40q names no channel", c.Name)
		}
		if len(c.Name) > longestName {
			version |= longNames
		}
	}
	u32(version)
	var list bytes.Buffer
	for _, c := range channels {
		list.WriteString(c.Name + "\x00")
		kind := uint32(2) // FLOAT
		if c.Half {
			kind = 1
		}
		list.Write(le.AppendUint32(nil, kind))
		list.Write([]byte{0, 0, 0, 0}) // not perceptually linear
		list.Write(le.AppendUint32(le.AppendUint32(nil, 1), 1))
	}
	list.WriteByte(0)
	box := le.AppendUint32(make([]byte, 8), uint32(width-1))
	box = le.AppendUint32(box, uint32(height-1))
	one := le.AppendUint32(nil, math.Float32bits(1))
	attr("channels", "chlist", list.Bytes())
	for _, name := range slices.Sorted(maps.Keys(texts)) {
		if name == EnvMap {
			attr(name, "envmap", []byte{map[string]byte{"cube": 1}[texts[name]]})
			continue
		}
		attr(name, "string", []byte(texts[name]))
	}
	attr("compression", "compression", []byte{compression})
	attr("dataWindow", "box2i", box)
	attr("displayWindow", "box2i", box)
	attr("lineOrder", "lineOrder", []byte{0})
	attr("pixelAspectRatio", "float", one)
	attr("screenWindowCenter", "v2f", make([]byte, 8))
	attr("screenWindowWidth", "float", one)
	head.WriteByte(0)

	blocks := (height + lines - 1) / lines
	bodies := make([][]byte, blocks)
	for b := range bodies {
		var err error
		if bodies[b], err = block(b*lines, min((b+1)*lines, height), width, channels); err != nil {
			return err
		}
	}
	at := uint64(head.Len() + 8*blocks)
	for _, body := range bodies {
		head.Write(le.AppendUint64(nil, at))
		at += uint64(len(body))
	}
	if _, err := w.Write(head.Bytes()); err != nil {
		return err
	}
	for _, body := range bodies {
		if _, err := w.Write(body); err != nil {
			return err
		}
	}
	return nil
}

// exrBlock packs lines from to: bytes are parted into even and odd ones and
// differences taken before deflate, as the ZIP compression of the format asks.
func exrBlock(from, to, width int, channels []Channel) ([]byte, error) {
	raw := rawBlock(from, to, width, channels)
	var packed bytes.Buffer
	z, err := zlib.NewWriterLevel(&packed, zlib.BestSpeed)
	if err != nil {
		return nil, err
	}
	if _, err = z.Write(openexr.Parted(raw)); err == nil {
		err = z.Close()
	}
	if err != nil {
		return nil, err
	}
	return blockOf(from, packed.Bytes(), raw), nil
}

// dwaBlock packs lines from to as DWAA has it.
func dwaBlock(from, to, width int, channels []Channel) ([]byte, error) {
	planes := make([]openexr.Plane, len(channels))
	for i, c := range channels {
		planes[i] = openexr.Plane{Name: c.Name, Half: c.Half, Values: make([]float32, 0, (to-from)*width)}
		for k := from * width; k < to*width; k++ {
			planes[i].Values = append(planes[i].Values, c.Data[k*c.Stride+c.Offset])
		}
	}
	packed, err := openexr.PackDWA(planes, width, to-from)
	return blockOf(from, packed, rawBlock(from, to, width, channels)), err
}

// blockOf is a block as it is written: as it is where packing gains nothing.
func blockOf(from int, packed, raw []byte) []byte {
	if len(packed) >= len(raw) {
		packed = raw
	}
	out := binary.LittleEndian.AppendUint32(nil, uint32(from))
	out = binary.LittleEndian.AppendUint32(out, uint32(len(packed)))
	return append(out, packed...)
}

// rawBlock are lines from to as they are.
func rawBlock(from, to, width int, channels []Channel) []byte {
	size := 0
	for i := range channels {
		size += channels[i].bytes()
	}
	raw := make([]byte, 0, (to-from)*width*size)
	for y := from; y < to; y++ {
		for _, c := range channels {
			for x := 0; x < width && c.Half; x++ {
				raw = binary.LittleEndian.AppendUint16(raw, openexr.ToHalf(c.Data[(y*width+x)*c.Stride+c.Offset]))
			}
			for x := 0; x < width && !c.Half; x++ {
				raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(c.Data[(y*width+x)*c.Stride+c.Offset]))
			}
		}
	}
	return raw
}

// Shares are the layers of what each group of lights gives: light.NAME.R and so on, of the groups by name, then of sun,
// sky and glow. Names are shortened to what a channel's name holds, and made different.
func Shares(data [][]float32, groups []string) (list []Channel) {
	used := map[string]bool{}
	for g, d := range data {
		name := ""
		if g < len(groups) {
			name = groups[g]
		} else if k := g - len(groups); k < 3 {
			name = [3]string{"sun", "sky", "glow"}[k]
		}
		name = strings.Map(func(r rune) rune {
			switch {
			case r >= 'a' && r <= 'z', r >= 'A' && r <= 'Z', r >= '0' && r <= '9':
				return r
			}
			return '_'
		}, name)
		const most = 18 // of 31 that every reader takes, with light., .R and a number
		if len(name) > most {
			name = name[:most]
		}
		for n, base := 2, name; name == "" || used[name]; n++ {
			name = fmt.Sprintf("%s%d", base, n)
		}
		used[name] = true
		list = append(list, RGB("light."+name+".", d)...)
	}
	return list
}
