package scratch
import ("testing";"os";"visator/core/intake/obj";"visator/core/model";"visator/core/simplify")
func BenchmarkSimp(b *testing.B){ d,_:=os.ReadFile("/tmp/b/torus.obj"); m,_:=obj.Read("a",d,model.Folder{}); b.ResetTimer(); for range b.N { simplify.Mesh(&m.Meshes[0],50000) } }
