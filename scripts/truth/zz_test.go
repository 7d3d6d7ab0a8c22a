package main
import ("pyrant/internal/shape";"pyrant/internal/staging";"pyrant/internal/irradiance";"pyrant/internal/cutout";"pyrant/internal/coverage";"testing";"fmt";"context";"time";"pyrant/internal/render";"pyrant/internal/recipe")
func TestSpeed(t *testing.T){
 b,err:=open("/work/shared/truth/quay"); if err!=nil{t.Fatal(err)}
 e:=render.New(1<<30)
 for n:=0;n<6;n++{
 for i:=range b.recipe.Lights { r:=b.recipe.Clone(); for k:=range r.Lights{r.Lights[k].On=k==i}; st:=&render.Stats{}; s:=time.Now()
  for k:=range r.Lights { for q,sh:=range r.Lights[k].Shapes { f:=shape.FeetOf(sh).All(); var g []shape.Foot; for _,x:=range f { g=append(g,shape.Foot{X:x.X+0.3*float64(n),Y:x.Y}) }; r.Lights[k].Shapes[q]=shape.Standing(sh,shape.FeetAt(g...)) } }
  _,err:=e.Render(context.Background(),render.Request{Photo:b.photo,PhotoKey:"p",Recipe:r,Stats:st}); fmt.Println(r.Lights[i].Name,time.Since(s),err,st.Sum) } }
 _=recipe.New
}
func TestNodes(t *testing.T){
 b,_:=open("/work/shared/truth/quay"); r:=b.recipe
 s,err:=staging.New(context.Background(),r,zc{r}); if err!=nil{t.Fatal(err)}
 for _,most:=range []int{1,2,4,8}{
 for i:=range r.Lights { l,_:=s.Light(context.Background(),&r.Lights[i]); var o []*recipe.Light; for k:=range r.Lights { if k!=i { o=append(o,&r.Lights[k]) } }
  sc,_:=s.Among(context.Background(),o)
  st:=time.Now(); f,_:=sc.Of(context.Background(),l,s.Sheets(),irradiance.Detail{Tile:16,Most:most},1,nil); el:=time.Since(st)
  fmt.Printf("most %d %-8s %8.1f ms ",most,r.Lights[i].Name,el.Seconds()*1000); tot:=0
  for k,g:=range f.Direct { n:=g.Cells(); tot+=n; fmt.Printf(" %s%d:%d",[]string{"F","W","P","T"}[s.Surfaces[k].Kind],k,n) }; fmt.Println(" total",tot,irradiance.Evals.Swap(0)) } }
}
type zc struct{r *recipe.Recipe}
func (c zc) CutOut(ctx context.Context,id cutout.Ref)(coverage.Coverage,error){ k:=c.r.CutOut(id); m,_:=k.Raster.Mask(); return k.On(m,cutout.Alpha),nil}
func (c zc) Light(ctx context.Context,l *recipe.Light)(coverage.Coverage,error){ return l.Shapes,nil}
