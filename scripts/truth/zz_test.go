package main
import ("bytes";"image";"image/jpeg";"sync/atomic";"pyrant/internal/shape";"pyrant/internal/cutout";"pyrant/internal/coverage";"testing";"fmt";"context";"time";"pyrant/internal/render";"pyrant/internal/recipe")
func TestSpeed(t *testing.T){
 b,err:=open("/work/shared/truth/quay"); if err!=nil{t.Fatal(err)}
 e:=render.New(1<<30)
 for n:=0;n<6;n++{
 for i:=range b.recipe.Lights { r:=b.recipe.Clone(); for k:=range r.Lights{r.Lights[k].On=k==i}; st:=&render.Stats{}; s:=time.Now()
  for k:=range r.Lights { for q,sh:=range r.Lights[k].Shapes { f:=shape.FeetOf(sh).All(); var g []shape.Foot; for _,x:=range f { g=append(g,shape.Foot{X:x.X+0.3*float64(n),Y:x.Y}) }; r.Lights[k].Shapes[q]=shape.Standing(sh,shape.FeetAt(g...)) } }
  _,err:=e.Render(context.Background(),render.Request{Photo:b.photo,PhotoKey:"p",Recipe:r,Stats:st}); fmt.Println(r.Lights[i].Name,time.Since(s),err,st.Sum) } }
 _=recipe.New
}

func TestQuick(t *testing.T){
 b,_:=open("/work/shared/truth/quay"); r:=b.recipe.Clone(); e:=render.New(1<<30)
 go1:=func(name string, r *recipe.Recipe, rough bool){ st:=&render.Stats{}; q:=render.Request{Photo:b.photo,PhotoKey:"p",Recipe:r,Stats:st}; var ro atomic.Bool; if rough {q.Rough=&ro}; s:=time.Now(); _,err:=e.Render(context.Background(),q); fmt.Println(name,time.Since(s),err,ro.Load(),st.Sum) }
 go1("first",r,false); go1("again",r,false)
 for n:=1;n<4;n++{ r=r.Clone(); sh:=r.Lights[1].Shapes[0]; f:=shape.FeetOf(sh).All(); r.Lights[1].Shapes[0]=shape.Standing(sh,shape.FeetAt(shape.Foot{X:f[0].X+3,Y:f[0].Y},shape.Foot{X:f[1].X+3,Y:f[1].Y})); go1("foot rough",r,true) }
 go1("foot rest",r,false)
 for n:=1;n<4;n++{ r=r.Clone(); r.Room.Things[0].Foot.X+=2; go1("thing rough",r,true) }
 go1("thing rest",r,false)
 s:=time.Now(); var buf bytes.Buffer; im:=image.NewRGBA(image.Rect(0,0,940,627)); for i:=range im.Pix { im.Pix[i]=uint8(i*i>>7) }; for i:=0;i<5;i++ {buf.Reset(); jpeg.Encode(&buf,im,nil)}; fmt.Println("jpeg",time.Since(s)/5)
}
type zc struct{r *recipe.Recipe}
func (c zc) CutOut(ctx context.Context,id cutout.Ref)(coverage.Coverage,error){ k:=c.r.CutOut(id); m,_:=k.Raster.Mask(); return k.On(m,cutout.Alpha),nil}
func (c zc) Light(ctx context.Context,l *recipe.Light)(coverage.Coverage,error){ return l.Shapes,nil}
