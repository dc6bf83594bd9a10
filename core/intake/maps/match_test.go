package maps

import (
	"image"
	"math"
	"slices"
	"testing"
)

func TestMapsAreFoundByName(t *testing.T) {
	files := []string{"tex/Oak_BaseColor_2K.png", "tex/Oak_BaseColor_4K.png", "tex/oak_normal_dx.png",
		"tex/oak_normal_gl.png", "tex/oak_gloss.jpg",
		"tex/iron_ORM.png", "tex/iron_albedo.jpg", "tex/readme.txt", "other/BOLT.JPG", "tex/._oak_ao.png"}
	for _, c := range []struct {
		need Need
		want Match
	}{
		{Need{Role: BaseColor, Ref: `C:\x\Oak_BaseColor_2K.png`}, Match{File: "tex/Oak_BaseColor_2K.png", How: "name"}},
		{Need{Role: BaseColor, Ref: "bolt.jpg"}, Match{File: "other/BOLT.JPG", How: "case"}},
		{Need{Role: BaseColor, Ref: "iron_albedo.png"}, Match{File: "tex/iron_albedo.jpg", How: "extension"}},
		{Need{Role: BaseColor, Ref: "oak_diffuse.tga"}, Match{File: "tex/Oak_BaseColor_4K.png", How: "stem and role"}},
		{Need{Role: BaseColor, Ref: "oak_diffuse_2k.tga"}, Match{File: "tex/Oak_BaseColor_2K.png",
			How: "stem and role"}},
		{Need{Role: Normal, Name: "M_Oak"}, Match{File: "tex/oak_normal_gl.png", How: "surface and role"}},
		{Need{Role: Roughness, Name: "oak"}, Match{File: "tex/oak_gloss.jpg", How: "surface and role", Gloss: true}},
		{Need{Role: Metallic, Name: "Iron"}, Match{File: "tex/iron_ORM.png", How: "surface and role", Channel: 3}},
		{Need{Role: Metallic, Name: "iron_rail"}, Match{File: "tex/iron_ORM.png", How: "surface and role", Channel: 3,
			Guessed: true}},
		{Need{Role: Occlusion, Name: "oak"}, Match{}},
		{Need{Role: BaseColor, Name: "glass"}, Match{}},
	} {
		c.want.Need = c.need
		for range 2 {
			got := Find([]Need{c.need}, files, 3)
			if c.want.File == "" && len(got) == 0 {
				continue
			}
			if len(got) != 1 || got[0] != c.want {
				t.Errorf("%+v:\n got %+v\nwant %+v", c.need, got, c.want)
			}
			slices.Reverse(files)
		}
	}
}

func TestTheOnlySetGoesToTheOnlySurface(t *testing.T) {
	files := []string{"a_color.jpg", "a_normal.jpg", "a_rough.jpg"}
	needs := []Need{{Name: "lambert1", Role: BaseColor}, {Name: "lambert1", Role: Normal}}
	got := Find(needs, files, 1)
	if len(got) != 2 || !got[0].Guessed || got[1].File != "a_normal.jpg" {
		t.Errorf("%+v", got)
	}
	needs = append(needs, Need{Surface: 1, Name: "glass", Role: BaseColor})
	if got := Find(needs, files, 2); len(got) != 0 {
		t.Errorf("two surfaces: %+v", got)
	}
}

// hills is the normal map of a known height field, green up.
func hills() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, 128, 96))
	for y := range 96 {
		for x := range 128 {
			u, v := float64(x)/9, float64(95-y)/7
			dx, dy := 0.6*math.Cos(u)*math.Cos(v)+0.3*math.Cos(u+v), -0.6*math.Sin(u)*math.Sin(v)+0.3*math.Cos(u+v)
			l := math.Sqrt(dx*dx + dy*dy + 1)
			i := img.PixOffset(x, y)
			for k, n := range []float64{-dx / l, -dy / l, 1 / l} {
				img.Pix[i+k] = uint8(math.Round((n + 1) * 127.5))
			}
			img.Pix[i+3] = 255
		}
	}
	return img
}

func TestTheSenseOfGreenIsMeasured(t *testing.T) {
	img := hills()
	if m := MeasureSense(img); m.Sense != OpenGL {
		t.Errorf("green up: %+v", m)
	}
	FlipGreen(img)
	if m := MeasureSense(img); m.Sense != DirectX {
		t.Errorf("green down: %+v", m)
	}
	FlipGreen(img)
	if m := MeasureSense(img); m.Sense != OpenGL {
		t.Errorf("there and back: %+v", m)
	}
	flat := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range flat.Pix {
		flat.Pix[i] = []uint8{128, 128, 255, 255}[i%4]
	}
	if m := MeasureSense(flat); m.Sense != Unknown {
		t.Errorf("flat: %+v", m)
	}
}

func TestChannelsAreTakenApart(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	copy(img.Pix, []uint8{10, 20, 30, 40})
	for channel, want := range []uint8{10, 10, 20, 30, 40} {
		if got := Channel(img, channel, false).Pix[1]; got != want {
			t.Errorf("channel %d: %d", channel, got)
		}
		if got := Channel(img, channel, true).Pix[0]; got != 255-want {
			t.Errorf("channel %d turned: %d", channel, got)
		}
	}
}
