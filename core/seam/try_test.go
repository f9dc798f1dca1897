package seam_test
import ("testing";"context";"fmt";"blendseam/core/seam";"blendseam/media")
func TestTry(t *testing.T){
 f,err:=media.ReadSceneFile(context.Background(),"../../demo/kiln-night.otio"); if err!=nil{t.Fatal(err)}
 m,err:=seam.NewMeter(f.Scene,f.Open); if err!=nil{t.Fatal(err)}
 for _,s:=range seam.Find(f.Scene){ r,err:=m.Seam(s); if err!=nil{t.Fatal(err)}
  g:=func(p *float64)string{if p==nil{return "-"};return fmt.Sprintf("%.1f",*p)}
  fmt.Printf("%s %-9s %-12s>%-12s %-8s %-30s click %s bg %s (%s %s) lu %s dead %s drop %s peak %s\n",f.Scene.Timecode(s.At),s.Kind,s.LeftName,s.RightName,r.Verdict,r.Why,g(r.Measures.ClickDB),g(r.Measures.BackgroundStepDB),g(r.Measures.BackgroundLeftDB),g(r.Measures.BackgroundRightDB),g(r.Measures.LevelStepLU),g(r.Measures.DeadSilenceMS),g(r.Measures.DropDB),g(r.Measures.PeakDBFS))}
}
