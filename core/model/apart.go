package model

// Apart is a part of the same triangles, none of which shares a corner with another.
func (p *Part) Apart() Part {
	out := *p
	n := len(p.Indices) / 3 * 3
	take := func(from []float32, width int) (list []float32) {
		if from == nil {
			return nil
		}
		list = make([]float32, 0, width*n)
		for _, i := range p.Indices[:n] {
			list = append(list, from[width*int(i):width*int(i)+width]...)
		}
		return list
	}
	out.Positions, out.Normals, out.Colors = take(p.Positions, 3), take(p.Normals, 3), take(p.Colors, 4)
	out.UV, out.UV1 = take(p.UV, 2), take(p.UV1, 2)
	out.Indices = make([]uint32, n)
	for i := range out.Indices {
		out.Indices[i] = uint32(i)
	}
	return out
}
