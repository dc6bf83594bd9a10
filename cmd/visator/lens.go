package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strconv"
	"strings"

	"visator/core/optics"
	"visator/core/unit"
)

// lensLine is what a lens does, as JSON. Angles are degrees, distances metres,
// what lies on the sensor millimetres; null is infinity.
type lensLine struct {
	Focal          float64  `json:"focal"`
	Sensor         sides    `json:"sensor"`
	Aspect         float64  `json:"aspect"`
	Horizontal     float64  `json:"horizontalFieldOfView"`
	Vertical       float64  `json:"verticalFieldOfView"`
	Diagonal       float64  `json:"diagonalFieldOfView"`
	Circle         float64  `json:"circleOfConfusion"`
	FNumber        float64  `json:"fNumber"`
	Hyperfocal     float64  `json:"hyperfocal"`
	Focus          float64  `json:"focus"`
	SharpNear      float64  `json:"sharpNear"`
	SharpFar       *float64 `json:"sharpFar"`
	BlurAtInfinity float64  `json:"blurAtInfinity"`
}

type sides struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
}

func lens(_ context.Context, args []string) error {
	v := optics.Default()
	fs := newFlags("lens", "--focal MM [--sensor WxH] [--aspect A] [--focus M] [--fstop N] [--coc MM] [--json]",
		"Tells the fields of view of a lens, its hyperfocal distance, what is sharp and how large a point at "+
			"infinity is drawn.")
	var sensor string
	var aspect, circle float64
	var asJSON bool
	fs.Float64Var(&v.Focal, "focal", 0, "focal length in `MM`")
	fs.StringVar(&sensor, "sensor", "36x24", "sides of the sensor in millimetres, `WxH`")
	fs.Float64Var(&aspect, "aspect", 0, "width over height of the picture; 0 is the sensor's own")
	fs.Float64Var(&v.Focus, "focus", 0, "focus distance in `METRES`; 0 is the hyperfocal distance")
	fs.Float64Var(&v.FNumber, "fstop", 8, "f-number")
	fs.Float64Var(&circle, "coc", 0, "circle of confusion in `MM`; 0 is 0.03 mm for a sensor 36 mm wide, in proportion")
	fs.BoolVar(&asJSON, "json", false, "one line of JSON")
	if err := parseFlags(fs, args, "a lens is"); err != nil {
		return err
	}
	w, h, ok := strings.Cut(strings.ToLower(sensor), "x")
	var errW, errH error
	v.SensorW, errW = strconv.ParseFloat(w, 64)
	v.SensorH, errH = strconv.ParseFloat(h, 64)
	if !ok || errW != nil || errH != nil {
		return usagef("--sensor %q is not of the form 36x24", sensor)
	}
	if v.Aspect = aspect; aspect == 0 {
		v.Aspect = v.SensorW / v.SensorH
	}
	if circle == 0 {
		circle = v.CircleOfConfusion()
	}
	if !(circle > 1e-6 && circle < 10) {
		return usagef("the circle of confusion must be between a millionth of a millimetre and 10 mm")
	}
	hyper := optics.Hyperfocal(v.Focal, v.FNumber, circle)
	if v.Focus == 0 && v.Focal > 0 && v.FNumber > 0 {
		v.Focus = hyper
	}
	if err := v.Check(); err != nil {
		return usageError{err}
	}
	if v.Focus <= v.Focal/1000 {
		return usagef("a lens of %.4g mm does not focus nearer than that", v.Focal)
	}
	hor, ver := v.FieldOfView()
	gw, gh := v.Gate()
	l := lensLine{Focal: v.Focal, Sensor: sides{v.SensorW, v.SensorH}, Aspect: v.Aspect, Horizontal: unit.Degrees(hor),
		Vertical: unit.Degrees(ver), Diagonal: unit.Degrees(2 * math.Atan(math.Hypot(gw, gh)/(2*v.Focal))),
		Circle: circle, FNumber: v.FNumber, Hyperfocal: hyper, Focus: v.Focus,
		BlurAtInfinity: optics.Blur(v.Focal, v.FNumber, v.Focus, math.Inf(1))}
	near, far := optics.SharpZone(v.Focal, v.FNumber, circle, v.Focus)
	l.SharpNear = near
	end := "infinity"
	if !math.IsInf(far, 1) {
		l.SharpFar, end = &far, fmt.Sprintf("%.3f m", far)
	}
	if asJSON {
		return json.NewEncoder(os.Stdout).Encode(l)
	}
	fmt.Printf("%.4g mm on %.4g x %.4g mm, picture %.4g : 1\n", l.Focal, l.Sensor.Width, l.Sensor.Height, l.Aspect)
	fmt.Printf("fields of view   %.2f° wide, %.2f° high, %.2f° across the diagonal\n", l.Horizontal, l.Vertical,
		l.Diagonal)
	fmt.Printf("hyperfocal       %.3f m at f/%.3g, circle of confusion %.4g mm\n", l.Hyperfocal, l.FNumber, l.Circle)
	fmt.Printf("focused at       %.3f m: sharp from %.3f m to %s\n", l.Focus, l.SharpNear, end)
	fmt.Printf("blur at infinity %.4f mm on the sensor\n", l.BlurAtInfinity)
	return nil
}
