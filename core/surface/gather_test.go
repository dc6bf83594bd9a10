package surface

import (
	"reflect"
	"testing"
)

// A folder with two materials, one of them in two sizes and packed, as suppliers name them (from memory).
func TestAFolderOfMapsIsGathered(t *testing.T) {
	got := Gather([]string{"old_brick/old_brick_Color_1K.jpg", "old_brick/old_brick_Color_4K.jpg",
		"old_brick/old_brick_NormalDX_4K.jpg", "old_brick/old_brick_NormalGL_4K.jpg", "old_brick/old_brick_Gloss.png",
		"old_brick/old_brick_Height.png", "moss_albedo.png", "moss_arm.png", "readme.txt", "preview.png"})
	want := []Gathered{
		{Name: "moss", Takes: []Taken{{Role: "base", File: "moss_albedo.png"},
			{Role: "metal", File: "moss_arm.png", Channel: 3}, {Role: "occlusion", File: "moss_arm.png", Channel: 1},
			{Role: "roughness", File: "moss_arm.png", Channel: 2}}},
		{Name: "old brick", Takes: []Taken{{Role: "base", File: "old_brick/old_brick_Color_4K.jpg"},
			{Role: "normal", File: "old_brick/old_brick_NormalGL_4K.jpg"},
			{Role: "roughness", File: "old_brick/old_brick_Gloss.png", Channel: 1, Invert: true}},
			Left: []string{"old_brick/old_brick_Height.png"}},
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
	if Gather(nil) != nil || Gather([]string{"", "/", ".png", "_.jpg"}) != nil {
		t.Error("something is gathered of nothing")
	}
}
