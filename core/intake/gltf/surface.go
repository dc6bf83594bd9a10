package gltf

import (
	"errors"
	"fmt"
	"io/fs"
	"math"

	"visator/core/geom"
	"visator/core/model"
)

func orElse(p *float64, d float64) float64 {
	if p == nil {
		return d
	}
	return *p
}

func (r *reader) loadSurfaces() error {
	for i, gm := range r.doc.Materials {
		s := model.DefaultSurface()
		s.Name = gm.Name
		if len(gm.PBR.BaseColorFactor) == 4 {
			s.BaseColor = [4]float64(gm.PBR.BaseColorFactor)
		}
		s.Metallic, s.Roughness = orElse(gm.PBR.MetallicFactor, 1), orElse(gm.PBR.RoughnessFactor, 1)
		if len(gm.EmissiveFactor) == 3 {
			k := orElse(gm.Extensions.EmissiveStrength.EmissiveStrength, 1)
			for c := range s.Emissive {
				s.Emissive[c] = gm.EmissiveFactor[c] * k
			}
		}
		switch gm.AlphaMode {
		case "MASK":
			s.Alpha = model.Mask
		case "BLEND":
			s.Alpha = model.Blend
		}
		s.Cutoff = orElse(gm.AlphaCutoff, 0.5)
		s.DoubleSided = gm.DoubleSided
		s.NormalScale, s.Occlusion = orElse(gm.NormalTexture.Scale, 1), orElse(gm.OcclusionTexture.Strength, 1)
		s.Transmission = gm.Extensions.Transmission.TransmissionFactor
		s.IOR = orElse(gm.Extensions.IOR.IOR, 1.5)
		s.Unlit = gm.Extensions.Unlit != nil
		layered := layers(&s, &gm)
		for _, slot := range append(layered, []mapped{
			{model.BaseColorMap, &gm.PBR.BaseColorTexture}, {model.MetalRoughMap, &gm.PBR.MetallicRoughnessTexture},
			{model.NormalMap, &gm.NormalTexture}, {model.OcclusionMap, &gm.OcclusionTexture},
			{model.EmissiveMap, &gm.EmissiveTexture},
			{model.TransmissionMap, &gm.Extensions.Transmission.TransmissionTexture},
		}...) {
			if slot.info.Index == nil {
				continue
			}
			got, err := r.slot(slot.info, slot.role, fmt.Sprintf("materials[%d], %s texture", i, slot.role))
			if err != nil {
				return err
			}
			s.Slots[slot.role] = got
		}
		if err := r.applyGloss(&s, &gm, fmt.Sprintf("materials[%d]", i)); err != nil {
			return err
		}
		r.out.Surfaces = append(r.out.Surfaces, s)
	}
	return nil
}

// mapped is a map that a surface names.
type mapped struct {
	role model.Role
	info *textureInfo
}

// layers sets what extensions add to a surface, and tells the maps that they name.
func layers(s *model.Surface, gm *material) (list []mapped) {
	three := func(to *[3]float64, from []float64) {
		if len(from) == 3 {
			*to = [3]float64(from)
		}
	}
	e := &gm.Extensions
	if x := e.Specular; x != nil {
		s.Specular = orElse(x.SpecularFactor, 1)
		three(&s.SpecularTint, x.SpecularColorFactor)
		list = append(list, mapped{model.SpecularMap, &x.SpecularTexture},
			mapped{model.SpecularTintMap, &x.SpecularColorTexture})
	}
	if x := e.Coat; x != nil {
		s.Coat, s.CoatRoughness = x.ClearcoatFactor, x.ClearcoatRoughnessFactor
		s.CoatNormalScale = orElse(x.ClearcoatNormalTexture.Scale, 1)
		list = append(list, mapped{model.CoatMap, &x.ClearcoatTexture},
			mapped{model.CoatRoughnessMap, &x.ClearcoatRoughnessTexture},
			mapped{model.CoatNormalMap, &x.ClearcoatNormalTexture})
	}
	if x := e.Sheen; x != nil {
		three(&s.Sheen, x.SheenColorFactor)
		s.SheenRoughness = x.SheenRoughnessFactor
		list = append(list, mapped{model.SheenMap, &x.SheenColorTexture},
			mapped{model.SheenRoughnessMap, &x.SheenRoughnessTexture})
	}
	if x := e.Brush; x != nil {
		s.Brush, s.BrushTurn = x.AnisotropyStrength, x.AnisotropyRotation
		list = append(list, mapped{model.BrushMap, &x.AnisotropyTexture})
	}
	if x := e.Film; x != nil {
		s.Film, s.FilmIndex = x.IridescenceFactor, orElse(x.IridescenceIor, 1.3)
		s.FilmLeast, s.FilmMost = orElse(x.IridescenceThicknessMinimum, 100), orElse(x.IridescenceThicknessMaximum, 400)
		list = append(list, mapped{model.FilmMap, &x.IridescenceTexture},
			mapped{model.FilmThicknessMap, &x.IridescenceThicknessTexture})
	}
	if x := e.Volume; x != nil {
		s.Solid = x.ThicknessFactor > 0
		three(&s.Absorb, x.AttenuationColor)
		if d := orElse(x.AttenuationDistance, 0); d > 0 {
			s.AbsorbOver = d
		}
	}
	s.Dispersion = e.Dispersion.Dispersion
	if x := e.Leaf; x != nil {
		s.Leaf = x.DiffuseTransmissionFactor
		three(&s.LeafTint, x.DiffuseTransmissionColorFactor)
		list = append(list, mapped{model.LeafMap, &x.DiffuseTransmissionTexture},
			mapped{model.LeafTintMap, &x.DiffuseTransmissionColorTexture})
	}
	return list
}

func (r *reader) slot(info *textureInfo, role model.Role, where string) (model.Slot, error) {
	s := model.EmptySlot
	i := *info.Index
	if i < 0 || i >= len(r.doc.Textures) {
		return s, fmt.Errorf("%s: textures[%d] is not there", where, i)
	}
	tex := r.doc.Textures[i]
	source := tex.Source
	if tex.Extensions.WebP.Source != nil {
		source = tex.Extensions.WebP.Source
	}
	s.Set = info.TexCoord
	if t := info.Extensions.Transform; t != nil {
		if len(t.Offset) == 2 {
			s.Offset = [2]float64(t.Offset)
		}
		if len(t.Scale) == 2 {
			s.Scale = [2]float64(t.Scale)
		}
		s.Rotation = t.Rotation
		if t.TexCoord != nil {
			s.Set = *t.TexCoord
		}
	}
	if s.Set != 0 && s.Set != 1 {
		r.out.Warn("%s uses texture coordinates %d; only 0 and 1 are read", where, s.Set)
		s.Set = 0
	}
	if tex.Sampler != nil {
		if *tex.Sampler < 0 || *tex.Sampler >= len(r.doc.Samplers) {
			return s, fmt.Errorf("%s: samplers[%d] is not there", where, *tex.Sampler)
		}
		sm := r.doc.Samplers[*tex.Sampler]
		s.WrapS, s.WrapT = wraps[sm.WrapS], wraps[sm.WrapT]
		s.Nearest = sm.MagFilter == 9728
	}
	if source == nil {
		r.out.Warn("%s has no picture that is read here", where)
		return s, nil
	}
	if *source < 0 || *source >= len(r.doc.Images) {
		return s, fmt.Errorf("%s: images[%d] is not there", where, *source)
	}
	var err error
	s.Map, err = r.mapFor(*source, role)
	return s, err
}

// mapFor returns the map of image i, made on first use.
func (r *reader) mapFor(i int, role model.Role) (int, error) {
	if at, ok := r.maps[[2]int{i, 0}]; ok {
		return at, nil
	}
	img := r.doc.Images[i]
	m := model.Map{Name: img.Name, Role: role.String(), Mime: img.MimeType}
	where := fmt.Sprintf("images[%d]", i)
	switch {
	case img.BufferView != nil:
		data, _, err := r.view(*img.BufferView)
		if err != nil {
			return model.None, fmt.Errorf("%s: %w", where, err)
		}
		m.Data, m.Status = data, model.Embedded
	case len(img.URI) >= 5 && img.URI[:5] == "data:":
		data, err := r.fetch(img.URI)
		if err != nil {
			return model.None, fmt.Errorf("%s: %w", where, err)
		}
		m.Data, m.Status = data, model.Embedded
	default:
		m.Name, m.Status = img.URI, model.Missing
		data, err := r.fetch(img.URI)
		switch {
		case err == nil:
			m.Data, m.Status = data, model.Found
		case errors.Is(err, model.ErrOutside): // common: a path of its author's disk
			r.out.Warn("%s: the picture %.200q is not there: it lay on its author's disk", where, img.URI)
		case errors.Is(err, fs.ErrNotExist):
			r.out.Warn("%s: the picture %.200q is not there", where, img.URI)
		default:
			r.out.Warn("%s: %v", where, err)
		}
	}
	if m.Name == "" {
		m.Name = where
	}
	if m.Data != nil {
		var err error
		if m.Data, m.Mime, err = model.AdoptPicture(m.Data, m.Name); err != nil {
			r.out.Warn("%s: %v", where, err)
			m.Data, m.Status = nil, model.Missing
		}
	}
	r.out.Maps = append(r.out.Maps, m)
	r.maps[[2]int{i, 0}] = len(r.out.Maps) - 1
	return len(r.out.Maps) - 1, nil
}

func (r *reader) loadCameras() error {
	for i, c := range r.doc.Cameras {
		cam := model.Camera{Name: c.Name}
		switch c.Type {
		case "perspective":
			p := c.Perspective
			if !(p.Yfov > 0 && p.Yfov < math.Pi) {
				return fmt.Errorf("cameras[%d]: yfov %v is not between 0 and pi", i, p.Yfov)
			}
			cam.YFov, cam.Aspect, cam.Near, cam.Far = p.Yfov, p.AspectRatio, p.Znear, p.Zfar
		case "orthographic":
			o := c.Orthographic
			cam.Orthographic, cam.XMag, cam.YMag, cam.Near, cam.Far = true, o.Xmag, o.Ymag, o.Znear, o.Zfar
		default:
			return fmt.Errorf("cameras[%d]: the type %q is unknown", i, c.Type)
		}
		r.out.Cameras = append(r.out.Cameras, cam)
	}
	return nil
}

func (r *reader) loadLights() error {
	for i, l := range r.doc.Extensions.Lights.Lights {
		light := model.Light{Name: l.Name, Kind: model.LightKind(l.Type), Color: [3]float64{1, 1, 1}, Range: l.Range,
			Intensity: orElse(l.Intensity, 1), Inner: l.Spot.InnerConeAngle, Outer: orElse(l.Spot.OuterConeAngle,
				math.Pi/4)}
		if len(l.Color) == 3 {
			light.Color = [3]float64(l.Color)
		}
		switch light.Kind {
		case model.Directional, model.Point, model.Spot:
		default:
			return fmt.Errorf("lights[%d]: the type %q is unknown", i, l.Type)
		}
		r.out.Lights = append(r.out.Lights, light)
	}
	return nil
}

// applySkins brings skinned meshes into the pose that the nodes describe: the
// mesh's own node does not count, its joints do (glTF 2.0, 3.7.3.3). Where a
// node's pose is its bind pose, as exporters write it, the mesh stays as it
// is under the joints' common transform.
func (r *reader) applySkins() error {
	world := make([]geom.M, len(r.out.Nodes))
	r.out.Walk(func(i int, _ *model.Node, w geom.M) { world[i] = w })
	for i, n := range r.doc.Nodes {
		if n.Skin == nil || n.Mesh == nil {
			continue
		}
		where := fmt.Sprintf("nodes[%d].skin", i)
		if *n.Skin < 0 || *n.Skin >= len(r.doc.Skins) {
			return fmt.Errorf("%s: skins[%d] is not there", where, *n.Skin)
		}
		sk := r.doc.Skins[*n.Skin]
		var ibm []float32
		if sk.InverseBindMatrices != nil {
			var err error
			if ibm, _, err = r.floats(*sk.InverseBindMatrices, where+".inverseBindMatrices", 16); err != nil {
				return err
			}
			if len(ibm)/16 < len(sk.Joints) {
				return fmt.Errorf("%s: %d inverse bind matrices for %d joints", where, len(ibm)/16, len(sk.Joints))
			}
		}
		joints := make([]geom.M, len(sk.Joints))
		for k, j := range sk.Joints {
			if j < 0 || j >= len(r.out.Nodes) {
				return fmt.Errorf("%s: joint nodes[%d] is not there", where, j)
			}
			joints[k] = world[j]
			if ibm != nil {
				var b geom.M
				for e := range b {
					b[e] = float64(ibm[16*k+e])
				}
				joints[k] = joints[k].Mul(b)
			}
		}
		if err := r.skin(i, *n.Mesh, joints, world[i], where); err != nil {
			return err
		}
	}
	return nil
}

// skin makes a posed copy of the mesh for node i.
func (r *reader) skin(i, mesh int, joints []geom.M, world geom.M, where string) error {
	back, ok := world.Affine()
	if !ok {
		r.out.Warn("%s: the node flattens its mesh, which stays unposed", where)
		return nil
	}
	from := r.out.Nodes[i].Mesh // morphed already
	posed := model.Mesh{Name: r.out.Meshes[from].Name}
	at := 0 // parts without positions were left out
	for k, p := range r.doc.Meshes[mesh].Primitives {
		if _, ok := p.Attributes["POSITION"]; !ok {
			continue
		}
		part := r.out.Meshes[from].Parts[at]
		at++
		ja, okJ := p.Attributes["JOINTS_0"]
		wa, okW := p.Attributes["WEIGHTS_0"]
		if !okJ || !okW {
			posed.Parts = append(posed.Parts, part)
			continue
		}
		place := fmt.Sprintf("meshes[%d].primitives[%d]", mesh, k)
		js, _, err := r.floats(ja, place+".JOINTS_0", 4)
		if err != nil {
			return err
		}
		ws, _, err := r.floats(wa, place+".WEIGHTS_0", 4)
		if err != nil {
			return err
		}
		if len(js) < part.Vertices()*4 || len(ws) < part.Vertices()*4 {
			return fmt.Errorf("%s: fewer joints or weights than vertices", place)
		}
		if err := r.spend(int64(len(part.Positions)+len(part.Normals))*4, place); err != nil {
			return err
		}
		pos, nor := make([]float32, len(part.Positions)), make([]float32, len(part.Normals))
		for v := 0; v < part.Vertices(); v++ {
			var m geom.M
			var sum float64
			for e := 0; e < 4; e++ {
				w, j := float64(ws[4*v+e]), int(js[4*v+e])
				if w == 0 {
					continue
				}
				if j < 0 || j >= len(joints) {
					return fmt.Errorf("%s: vertex %d names joint %d of %d", place, v, j, len(joints))
				}
				for x := range m {
					m[x] += w * joints[j][x]
				}
				sum += w
			}
			if sum == 0 {
				m, sum = world, 1
			}
			for x := range m { // weights that do not add up to one are common
				m[x] /= sum
			}
			m = back.Mul(m)
			q := m.Point(part.Position(uint32(v)))
			if !q.Finite() {
				return fmt.Errorf("%s: vertex %d is posed to nowhere", place, v)
			}
			pos[3*v], pos[3*v+1], pos[3*v+2] = float32(q.X), float32(q.Y), float32(q.Z)
			if len(nor) > 0 {
				d := m.Dir(geom.V{X: float64(part.Normals[3*v]), Y: float64(part.Normals[3*v+1]),
					Z: float64(part.Normals[3*v+2])}).Unit()
				nor[3*v], nor[3*v+1], nor[3*v+2] = float32(d.X), float32(d.Y), float32(d.Z)
			}
		}
		part.Positions = pos
		if len(nor) > 0 {
			part.Normals = nor
		}
		posed.Parts = append(posed.Parts, part)
	}
	r.out.Meshes = append(r.out.Meshes, posed)
	r.out.Nodes[i].Mesh = len(r.out.Meshes) - 1
	return nil
}

// wraps are the sampler's modes (glTF 2.0, 5.26); without one a map repeats.
var wraps = map[int]model.Wrap{33071: model.Clamp, 33648: model.Mirror}
