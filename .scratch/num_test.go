package scratch
import ("testing";"fmt";"visator/core/intake/text";"math/rand")
func BenchmarkNum(b *testing.B){ var d []byte; for range 1000000 { d=fmt.Appendf(d,"%.7g ",rand.Float64()*4-2)}; b.SetBytes(int64(len(d))); b.ResetTimer(); for range b.N { s:=text.Scanner{Data:d}; for { _,ok:=s.Number(); if !ok {break} } } }
