// Package intake turns what was downloaded into models: it tells formats
// apart, finds the model files in a folder or archive, reads them, and looks
// for maps that are not where the model says.
package intake

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/intake/archive"
	"visator/core/intake/collada"
	"visator/core/intake/gltf"
	"visator/core/intake/maps"
	"visator/core/intake/obj"
	"visator/core/intake/ply"
	"visator/core/intake/stl"
	"visator/core/intake/usd"
	"visator/core/model"
)

// ErrFormat is a file of a kind that is not read here.
var ErrFormat = errors.New("not a format that is read here; ask for glTF (.glb, .gltf), or for OBJ, USD, COLLADA " +
	"(.dae), PLY or STL, alone or in a .zip, .7z or .tar")

// format is a kind of model file with its reader.
type format struct {
	ext  string
	why  string // what speaks for it, or against
	read func(name string, data []byte, folder model.Folder) (*model.Model, error)
	// stream reads a file of size bytes without holding all of it; nil where that
	// cannot be done.
	stream func(name string, src io.Reader, size int64, folder model.Folder) (*model.Model, error)
}

// formats are the kinds that are read here, the likeliest to be whole first.
var formats = []format{
	{".glb", "carries its maps and states its unit", readGLB, nil},
	{".gltf", "states its unit, its maps lie beside it", gltf.Read, nil},
	{".usdz", "carries its maps and states its unit", usd.Read, nil},
	{".usdc", "states its unit, its maps lie beside it", usd.Read, nil},
	{".usda", "states its unit, its maps lie beside it", usd.Read, nil},
	{".usd", "states its unit, its maps lie beside it", usd.Read, nil},
	{".dae", "states its unit and axis", collada.Read, nil},
	{".obj", "states no unit", obj.Read, nil},
	{".ply", "states no unit and has one surface at most", ply.Read, ply.ReadStream},
	{".stl", "has no surfaces and states no unit",
		func(name string, data []byte, _ model.Folder) (*model.Model, error) { return stl.Read(name, data) }, nil},
}

func formatOf(name string) int {
	ext := strings.ToLower(path.Ext(name))
	return slices.IndexFunc(formats, func(f format) bool { return f.ext == ext })
}

// IsModel reports whether a file of this name is read here.
func IsModel(name string) bool { return formatOf(name) >= 0 }

// Extensions of the model files that are read here.
func Extensions() (out []string) {
	for _, f := range formats {
		out = append(out, f.ext)
	}
	return out
}

func readGLB(name string, data []byte, folder model.Folder) (*model.Model, error) {
	if !gltf.IsBinary(data) && !looksJSON(data) {
		return nil, fmt.Errorf("%s: does not begin as a GLB does (\"glTF\" at byte 0); fetch it again", name)
	}
	return gltf.Read(name, data, folder)
}

// Read reads one model file; its references are looked up in folder.
func Read(name string, data []byte, folder model.Folder) (*model.Model, error) {
	if len(data) == 0 {
		return nil, fmt.Errorf("%s: the file is empty; fetch it again", name)
	}
	read := gltf.Read
	if !gltf.IsBinary(data) {
		i := formatOf(name)
		if i < 0 {
			return nil, fmt.Errorf("%s: %w", name, ErrFormat)
		}
		read = formats[i].read
	}
	m, err := read(name, data, folder)
	return finish(m, err, name, folder)
}

// finish gives a model that was read its name and its maps.
func finish(m *model.Model, err error, name string, folder model.Folder) (*model.Model, error) {
	if err != nil {
		return nil, err
	}
	if m.Name == "" {
		base := path.Base(strings.ReplaceAll(name, "\\", "/"))
		m.Name = strings.TrimSuffix(base, path.Ext(base))
	}
	FindMaps(m, folder)
	return m, nil
}

func looksJSON(data []byte) bool {
	t := bytes.TrimLeft(data, " \t\r\n\xef\xbb\xbf")
	return len(t) > 0 && t[0] == '{'
}

// ReadFrom reads the model file at name within root; errors call it shown. Of
// a format that allows it only a window is held in memory.
func ReadFrom(root fs.FS, name, shown string) (*model.Model, error) {
	folder := model.Folder{Root: root, Dir: path.Dir(name)}
	if i := formatOf(name); i >= 0 && formats[i].stream != nil {
		f, size, err := folder.Open(path.Base(name))
		if err != nil {
			return nil, err
		}
		defer f.Close()
		src := bufio.NewReader(f)
		// What is empty, or GLB under a wrong name, is told and read below.
		if start, _ := src.Peek(4); len(start) > 0 && !gltf.IsBinary(start) {
			m, err := formats[i].stream(shown, src, size, folder)
			return finish(m, err, shown, folder)
		}
	}
	data, err := folder.Read(path.Base(name))
	if err != nil {
		return nil, err
	}
	return Read(shown, data, folder)
}

// Unpack opens what came as one file as a tree of files.
func Unpack(name string, data []byte) (*archive.Archive, error) {
	return archive.Open(name, bytes.NewReader(data), int64(len(data)))
}

// FindMaps looks below the folder's root for maps that are not where the model says,
// by the ends of their paths.
func FindMaps(m *model.Model, folder model.Folder) {
	tiled := func(x *model.Map) bool { return strings.Contains(x.Name, "<UDIM>") || maps.Parse(x.Name).Tile > 0 }
	if folder.Root == nil || !slices.ContainsFunc(m.Maps,
		func(x model.Map) bool { return x.Status == model.Missing || tiled(&x) }) {
		return
	}
	names := model.NamesIn(folder.Root)
	for i := range m.Maps {
		mp := &m.Maps[i]
		if tiled(mp) {
			tellTiles(m, mp, names)
		}
		if mp.Status != model.Missing {
			continue
		}
		at, ok := names.Find(strings.ReplaceAll(mp.Name, "<UDIM>", "1001"))
		if !ok {
			continue
		}
		data, err := model.Folder{Root: folder.Root}.Read(at)
		if err != nil {
			continue
		}
		data, mime, err := model.AdoptPicture(data, at)
		if err != nil {
			m.Warn("%v", err)
			continue
		}
		mp.Data, mp.Mime, mp.Status = data, mime, model.Found
		gone := fmt.Sprintf("%.200q is not there", mp.Name)
		m.Warnings = slices.DeleteFunc(m.Warnings, func(w string) bool { return strings.Contains(w, gone) })
	}
}

// tellTiles says of a picture that is cut into tiles that only the first is shown.
func tellTiles(m *model.Model, mp *model.Map, names *model.Names) {
	name := strings.ReplaceAll(mp.Name, "<UDIM>", "1001")
	first := maps.Parse(name).Tile
	if first == 0 {
		return
	}
	n := 1
	for t := 1001; t < 1100; t++ {
		other := strings.Replace(name, fmt.Sprint(first), fmt.Sprint(t), 1)
		if at, ok := names.Find(other); ok && t != first && strings.EqualFold(path.Base(at),
			path.Base(strings.ReplaceAll(other, "\\", "/"))) {
			n++
		}
	}
	if n > 1 {
		m.Warn("the picture %.200q is cut into %d tiles: only tile %d is shown, and what lies on the others repeats it",
			mp.Name, n, first)
	}
}

// Report is what is told of one file.
type Report struct {
	File      string     `json:"file"`
	OK        bool       `json:"ok"`
	Error     string     `json:"error,omitempty"`
	Format    string     `json:"format,omitempty"`
	Triangles int        `json:"triangles"`
	Vertices  int        `json:"vertices"`
	Parts     int        `json:"parts"`
	Materials int        `json:"materials"`
	Unit      model.Unit `json:"unit"`
	UpAxis    model.Axis `json:"upAxis"`
	Bounds    Bounds     `json:"bounds"`
	Size      Size       `json:"size"`
	Textures  []Texture  `json:"textures"`
	Cameras   int        `json:"cameras"`
	Lights    int        `json:"lights"`
	Warnings  []string   `json:"warnings"`
}

// Failure is what is told of a file that could not be read.
type Failure struct {
	File  string `json:"file"`
	OK    bool   `json:"ok"`
	Error string `json:"error"`
}

// Bounds are in the file's own unit and axes.
type Bounds struct {
	Min [3]float64 `json:"min"`
	Max [3]float64 `json:"max"`
}

// Size is in metres: width along X, height along the up axis, depth along
// the remaining one.
type Size struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
	Depth  float64 `json:"depth"`
}

// Texture is one map of the model.
type Texture struct {
	Name   string       `json:"name"`
	Role   string       `json:"role"`
	Status model.Status `json:"status"`
}

// Describe reports on a model that was read from file.
func Describe(file string, m *model.Model) Report {
	w := m.Weigh()
	r := Report{File: file, OK: true, Format: m.Format, Triangles: w.Triangles, Vertices: w.Vertices, Parts: w.Parts,
		Materials: len(m.Surfaces), Unit: m.Unit, UpAxis: m.Up, Cameras: len(m.Cameras), Lights: len(m.Lights),
		Textures: []Texture{}, Warnings: append([]string{}, m.Warnings...)}
	if b := m.Bounds(); !b.IsEmpty() {
		r.Bounds = Bounds{[3]float64{b.Min.X, b.Min.Y, b.Min.Z}, [3]float64{b.Max.X, b.Max.Y, b.Max.Z}}
		s := b.Apply(model.UpTurn(m.Up)).Size().Mul(m.Unit.MetresPerUnit)
		r.Size = Size{s.X, s.Y, s.Z}
	} else {
		r.Warnings = append(r.Warnings, "the file places nothing in its scene")
	}
	for _, t := range m.Maps {
		r.Textures = append(r.Textures, Texture{t.Name, t.Role, t.Status})
	}
	return r
}

// Box returns the reported bounds as a box.
func (r Report) Box() geom.Box {
	return geom.Box{Min: geom.V{X: r.Bounds.Min[0], Y: r.Bounds.Min[1], Z: r.Bounds.Min[2]},
		Max: geom.V{X: r.Bounds.Max[0], Y: r.Bounds.Max[1], Z: r.Bounds.Max[2]}}
}
