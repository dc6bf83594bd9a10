package convert

import (
	"bytes"
	"encoding/binary"
	"math"
	"regexp"
	"strconv"

	"visator/core/model"
)

// What an FBX states of itself stands in its GlobalSettings, as properties of a name: in
// files of text as P: "UnitScaleFactor", "double", "Number", "",2.54, in binary ones as
// strings and a number, each after a letter that tells its kind. The format has no
// specification; this is how files in circulation are written.

var fbxText = regexp.MustCompile(`"(UnitScaleFactor|UpAxis)"\s*,\s*"[^"]*"\s*,\s*(?:"[^"]*"\s*,\s*)?"[^"]*"\s*,\s*([-+0-9.eE]+)`)

// fbxSettings finds the unit, in metres, and the axis that points up; 0 and "" where the
// file does not say.
func fbxSettings(data []byte) (metres float64, up model.Axis) {
	axes := []model.Axis{"X", "Y", "Z"}
	set := func(name string, v float64) {
		switch {
		case name == "UnitScaleFactor" && metres == 0 && v > 0 && !math.IsInf(v, 0):
			metres = v / 100 // centimetres a unit
		case name == "UpAxis" && up == "" && (v == 0 || v == 1 || v == 2):
			up = axes[int(v)]
		}
	}
	if !bytes.HasPrefix(data, []byte("Kaydara FBX Binary")) {
		for _, m := range fbxText.FindAllSubmatch(data[:min(len(data), 1<<20)], 10) {
			if v, err := strconv.ParseFloat(string(m[2]), 64); err == nil {
				set(string(m[1]), v)
			}
		}
		return metres, up
	}
	for _, name := range []string{"UnitScaleFactor", "UpAxis"} {
		key := binary.LittleEndian.AppendUint32([]byte("S"), uint32(len(name)))
		i := bytes.Index(data, append(key, name...))
		if i < 0 {
			continue
		}
		set(name, fbxNumber(data[i+len(key)+len(name):]))
	}
	return metres, up
}

// fbxNumber is the first number after some strings; not a number where there is none.
func fbxNumber(b []byte) float64 {
	for range 4 {
		switch {
		case len(b) >= 5 && b[0] == 'S':
			n := binary.LittleEndian.Uint32(b[1:])
			if uint64(n)+5 > uint64(len(b)) || n > 100 {
				return math.NaN()
			}
			b = b[5+n:]
		case len(b) >= 9 && b[0] == 'D':
			return math.Float64frombits(binary.LittleEndian.Uint64(b[1:]))
		case len(b) >= 5 && b[0] == 'I':
			return float64(int32(binary.LittleEndian.Uint32(b[1:])))
		default:
			return math.NaN()
		}
	}
	return math.NaN()
}
