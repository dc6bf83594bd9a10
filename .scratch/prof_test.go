package scratch
import ("testing";"os";"visator/core/intake/collada";"visator/core/model")
func BenchmarkDAE(b *testing.B){ d,_:=os.ReadFile("/tmp/b/torus.dae"); b.ResetTimer(); for range b.N { if _,err:=collada.Read("a.dae",d,model.Folder{}); err!=nil {b.Fatal(err)} } }
