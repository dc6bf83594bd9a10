package raybench

import (
	"os"
	"runtime/pprof"
	"testing"

	"visator/core/geom"
	"visator/core/model"
	"visator/core/intake/obj"
)

func TestTmp(t *testing.T) {
	data, err := os.ReadFile("/tmp/w/torus.obj")
	if err != nil {
		t.Skip()
	}
	m, err := obj.Read("t.obj", data, model.Folder{})
	if err != nil {
		t.Fatal(err)
	}
	f, _ := os.Create("/tmp/w/cpu.prof")
	pprof.StartCPUProfile(f)
	r, _ := Rays(m, geom.Identity, 1)
	pprof.StopCPUProfile()
	f.Close()
	t.Logf("%+v", r)
}
