//go:build !(goexperiment.simd && amd64)

package render

func boxes(n *wideNode, r *ray32, enter *[8]float32) uint32 { return boxesPortable(n, r, enter) }
