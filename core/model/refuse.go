package model

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"strings"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

// unread tells what a picture is of that is whole but not read here, such as "TIFF
// packed by JPEG"; "" when it may as well be damaged.
func unread(data []byte, err error) string {
	var asTIFF tiff.UnsupportedError
	var asJPEG jpeg.UnsupportedError
	switch {
	case bytes.HasPrefix(data, []byte("II*\x00")), bytes.HasPrefix(data, []byte("MM\x00*")):
		if what := unreadTIFF(data); what != "" {
			return "TIFF " + what
		}
		if errors.As(err, &asTIFF) {
			return "TIFF with " + strings.TrimPrefix(string(asTIFF), "with ")
		}
	case errors.As(err, &asJPEG):
		return "JPEG with " + string(asJPEG)
	case errors.Is(err, bmp.ErrUnsupported):
		if len(data) > 34 {
			switch binary.LittleEndian.Uint32(data[30:]) {
			case 1, 2:
				return "BMP packed by run lengths"
			case 4, 5:
				return "BMP with a JPEG or PNG inside"
			}
			return fmt.Sprintf("BMP of %d bits a pixel", binary.LittleEndian.Uint16(data[28:]))
		}
	case len(data) > 20 && string(data[8:16]) == "WEBPVP8X" && data[20]&2 != 0:
		return "WebP that moves"
	case errors.Is(err, image.ErrFormat):
		for _, m := range otherPictures {
			if len(data) >= m.at+len(m.mark) && string(data[m.at:m.at+len(m.mark)]) == m.mark {
				return m.kind
			}
		}
	}
	return ""
}

// otherPictures are known by their marks (the formats' specifications) and not read as
// maps.
var otherPictures = []struct {
	at         int
	mark, kind string
}{
	{0, "\xabKTX 20\xbb", "KTX2"}, {0, "\xabKTX 11\xbb", "KTX"}, {0, "DDS ", "DDS"}, {0, "8BPS",
		"a layered picture (PSD)"},
	{0, "\x76\x2f\x31\x01", "OpenEXR"}, {0, "#?RADIANCE", "Radiance HDR"}, {4, "ftypavif", "AVIF"},
	{4, "ftypheic", "HEIC"},
	{4, "ftypmif1", "HEIF"}, {4, "jP  \r\n\x87\n", "JPEG 2000"}, {0, "\xff\x4f\xff\x51", "JPEG 2000"},
	{4, "JXL \r\n\x87\n", "JPEG XL"},
	{0, "\xff\x0a", "JPEG XL"}, {0, "<svg", "SVG"},
}

// unreadTIFF says what of a TIFF's first picture is not read, by the tags that say how
// it is stored (TIFF 6.0, section 8 and following); "" for nothing.
func unreadTIFF(data []byte) string {
	var order binary.ByteOrder = binary.LittleEndian
	if data[0] == 'M' {
		order = binary.BigEndian
	}
	if len(data) < 8 {
		return ""
	}
	at := int64(order.Uint32(data[4:]))
	if at+2 > int64(len(data)) {
		return ""
	}
	tags := map[uint16]uint16{}
	n := int64(order.Uint16(data[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > int64(len(data)) {
			break
		}
		id, kind, count := order.Uint16(data[e:]), order.Uint16(data[e+2:]), order.Uint32(data[e+4:])
		if kind != 3 { // all that is asked for are SHORTs
			continue
		}
		value := data[e+8:]
		if count > 2 {
			off := int64(order.Uint32(value))
			if off+2 > int64(len(data)) {
				continue
			}
			value = data[off:]
		}
		tags[id] = order.Uint16(value)
	}
	const compression, photometric, samples, planes, extra, format = 259, 262, 277, 284, 338, 339
	switch tags[compression] {
	case 6, 7:
		return "packed by JPEG"
	case 34925:
		return "packed by LZMA"
	case 50000:
		return "packed by Zstandard"
	case 50001:
		return "packed by WebP"
	}
	switch {
	case tags[planes] == 2 && tags[samples] > 1:
		return "with its colours in planes of their own"
	case tags[format] == 3:
		return "of floating-point numbers"
	case tags[format] == 2:
		return "of signed numbers"
	case tags[photometric] == 5:
		return "of printing colours (CMYK)"
	case tags[photometric] == 6:
		return "of luma and chroma (YCbCr)"
	case tags[photometric] == 8 || tags[photometric] == 9:
		return "of L*a*b* colours"
	case tags[extra] != 0 && tags[photometric] < 2, tags[samples] == 2:
		return "of grey with an alpha"
	}
	return ""
}
