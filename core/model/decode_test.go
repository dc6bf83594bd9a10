package model

import (
	"bytes"
	"image"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// painted is a picture drawn by ImageMagick as a file of one kind.
type painted struct {
	name string // with the extension
	how  string // what convert is told, from a picture of 61 x 43 pixels with soft and hard edges
	not  string // what it is refused as; "" when it is read
}

// kindsOfPictures are what models and downloads carry.
var kindsOfPictures = []painted{
	{"colour.png", "", ""},
	{"grey.png", "-colorspace Gray", ""},
	{"grey16.png", "-colorspace Gray -depth 16 -define png:bit-depth=16", ""},
	{"colour16.png", "-depth 16 -define png:bit-depth=16", ""},
	{"alpha.png", "-alpha set -channel A -evaluate set 40% +channel", ""},
	{"greyalpha16.png", "-colorspace Gray -alpha set -channel A -fx i/w +channel -depth 16 -define png:color-type=4 " +
		"-define png:bit-depth=16", ""},
	{"palette.png", "-colors 31 -define png:color-type=3", ""},
	{"palette-alpha.png",
		"-alpha set -channel A -threshold 50% -fx i>30?1:0 +channel -colors 15 -define png:color-type=3", ""},
	{"two.png", "-colorspace Gray -monochrome -define png:bit-depth=1", ""},
	{"woven.png", "-interlace PNG", ""},
	{"full.jpg", "-sampling-factor 1x1 -quality 92", ""},
	{"half.jpg", "-sampling-factor 2x2 -quality 88", ""},
	{"wide.jpg", "-sampling-factor 2x1 -quality 88", ""},
	{"tall.jpg", "-sampling-factor 1x2 -quality 88", ""},
	{"grey.jpg", "-colorspace Gray -quality 90", ""},
	{"progressive.jpg", "-interlace JPEG -sampling-factor 2x2 -quality 85", ""},
	{"print.jpg", "-colorspace CMYK -quality 92", ""},
	{"lossless.webp", "-define webp:lossless=true", ""},
	{"lossy.webp", "-quality 80", ""},
	{"alpha.webp", "-alpha set -channel A -fx i/w +channel -quality 80 -define webp:alpha-quality=100", ""},
	{"colour.bmp", "-type TrueColor", ""},
	{"alpha.bmp", "-alpha set -channel A -fx (i+9)/(w+9) +channel", ""},
	{"palette.bmp", "-colors 200 -type Palette -compress None", ""},
	{"old.bmp", "-type TrueColor -define bmp:format=bmp3", ""},
	{"packed.bmp", "-colors 20 -type Palette -compress RLE", "BMP packed by run lengths"},
	{"plain.tif", "-compress None", ""},
	{"lzw.tif", "-compress LZW", ""},
	{"zip.tif", "-compress Zip", ""},
	{"bits.tif", "-compress RLE", ""},
	{"deep.tif", "-depth 16 -compress LZW", ""},
	{"grey.tif", "-colorspace Gray -compress Zip", ""},
	{"grey16.tif", "-colorspace Gray -depth 16 -compress Zip", ""},
	{"alpha.tif", "-alpha set -channel A -fx i/w +channel -compress Zip", ""},
	{"palette.tif", "-colors 60 -type Palette -compress LZW", ""},
	{"print.tif", "-colorspace CMYK -compress LZW", "TIFF of printing colours (CMYK)"},
	{"jpeg.tif", "-compress JPEG -quality 90", "TIFF packed by JPEG"},
	{"fax.tif", "-monochrome -compress Group4", ""},
	{"planes.tif", "-interlace Plane -compress LZW", "TIFF with its colours in planes of their own"},
	{"float.tif", "-define quantum:format=floating-point -depth 32 -compress Zip", "TIFF of floating-point numbers"},
	{"grey-alpha.tif", "-colorspace Gray -alpha set -channel A -fx i/w +channel -compress Zip",
		"TIFF of grey with an alpha"},
	{"colour.gif", "", ""},
	{"clear.gif", "-alpha set -channel A -fx i>30?1:0 +channel", ""},
	{"colour.tga", "-compress None", ""},
	{"packed.tga", "-compress RLE", ""},
	{"grey.tga", "-colorspace Gray -compress None", ""},
	{"alpha.tga", "-alpha set -channel A -fx (i+9)/(w+9) +channel -compress RLE", ""},
	{"palette.tga", "-colors 100 -type Palette -compress None", ""},
}

// drawPictures makes the pictures and what ImageMagick reads of each again:
// VISATOR_DRAW=1 go test ./core/model -run ReadAsOthers
func drawPictures(t *testing.T) {
	run := func(args ...string) {
		t.Helper()
		if out, err := exec.Command("convert", args...).CombinedOutput(); err != nil {
			t.Fatalf("convert %s: %v: %s", strings.Join(args, " "), err, out)
		}
	}
	base := filepath.Join(t.TempDir(), "base.png")
	run("-size", "61x43", "-seed", "7", "plasma:tomato-steelblue",
		"-fill", "white", "-draw", "rectangle 4,4 12,12", "-fill", "black", "-draw", "rectangle 20,4 28,12",
		"-fill", "rgb(128,128,255)", "-draw", "rectangle 36,4 44,12", "-fill", "red", "-draw", "rectangle 36,20 45,33",
		"-alpha", "off", "-depth", "8", base)
	for _, p := range kindsOfPictures {
		file := filepath.Join(pictures, p.name)
		run(append(append([]string{base}, strings.Fields(p.how)...), file)...)
		if p.not == "" {
			run(file+"[0]", "-auto-orient", "-colorspace", "sRGB", "-depth", "8", "-type", "TrueColorAlpha",
				"-strip", "-define", "png:color-type=6", file+".png")
		}
	}
}

const pictures = "testdata/pictures"

// Every decoder gives the pixels that ImageMagick (Debian's 6.9.11) gave of the same
// file, to one step of 255; what is not read is refused by its true name. JPEG may be
// off by three in a few places: a transform may be off by one in each of luma and the
// two chromas, and red is luma + 1.4 chroma.
func TestPicturesAreReadAsOthersReadThem(t *testing.T) {
	if os.Getenv("VISATOR_DRAW") != "" {
		drawPictures(t)
	}
	for _, p := range kindsOfPictures {
		data, err := os.ReadFile(filepath.Join(pictures, p.name))
		if err != nil {
			t.Fatal(err)
		}
		adopted, _, err := AdoptPicture(data, p.name)
		var got *image.NRGBA
		if err == nil {
			got, err = DecodePicture(adopted, p.name)
		}
		if p.not != "" {
			if err == nil || !strings.Contains(err.Error(), p.not+" is not read here; save it as") ||
				strings.Contains(err.Error(), "damaged") {
				t.Errorf("%s is refused as %v", p.name, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", p.name, err)
			continue
		}
		raw, err := os.ReadFile(filepath.Join(pictures, p.name+".png"))
		if err != nil {
			t.Fatal(err)
		}
		theirs, err := png.Decode(bytes.NewReader(raw))
		if err != nil {
			t.Fatal(err)
		}
		want, ok := theirs.(*image.NRGBA)
		if !ok || got.Rect != want.Rect {
			t.Errorf("%s: %v, want %v", p.name, got.Rect, theirs.Bounds())
			continue
		}
		allowed, most := 1, 0
		if strings.HasSuffix(p.name, ".jpg") {
			allowed, most = 3, len(got.Pix)*3/100
		}
		worst, many := 0, 0
		for i := 0; i < len(got.Pix); i += 4 {
			for c := range 4 {
				if c < 3 && want.Pix[i+3] == 0 {
					continue // nothing of its colour is seen
				}
				d := abs(int(got.Pix[i+c]) - int(want.Pix[i+c]))
				worst = max(worst, d)
				if d > 1 {
					many++
				}
			}
		}
		if worst > allowed || many > most {
			t.Errorf("%s: off by up to %d, %d values by more than one", p.name, worst, many)
		}
	}
}

// What is not a picture that is read is named by what it is.
func TestOtherPicturesAreNamed(t *testing.T) {
	pad := strings.Repeat("\x00", 64)
	for start, kind := range map[string]string{
		"\xabKTX 20\xbb\r\n\x1a\n": "KTX2", "DDS |\x00\x00\x00": "DDS", "8BPS\x00\x01": "PSD", "v/1\x01": "OpenEXR",
		"\x00\x00\x00\x20ftypavif":                                     "AVIF",
		"RIFF\x40\x00\x00\x00WEBPVP8X\x0a\x00\x00\x00\x02\x00\x00\x00": "WebP that moves",
		"\x00\x00\x00\x0cjP  \r\n\x87\n":                               "JPEG 2000",
	} {
		data, _, err := AdoptPicture([]byte(start+pad), "map")
		if err == nil {
			_, err = DecodePicture(data, "map")
		}
		if err == nil || !strings.Contains(err.Error(), kind) || !strings.Contains(err.Error(), "save it as PNG") ||
			strings.Contains(err.Error(), "damaged") {
			t.Errorf("%q: %v", kind, err)
		}
	}
	if _, _, err := AdoptPicture([]byte("hello"+pad), "a.txt"); err == nil || !strings.Contains(err.Error(),
		"not a picture of a kind") {
		t.Error(err)
	}
}
