package proof
import ("testing";"fmt";"context";"willowherb/core/path";"willowherb/core/film";"willowherb/core/filter")
func TestZZ(t *testing.T){
 for _,p:=range places(t){ if p.name!="hall"{continue}
  W,H:=960,540
  pass:=&path.Pass{World:p.world,Camera:p.camera,W:W,H:H,Seed:0,Lights:p.lights,Guide:film.NewGuide(W,H)}
  for range p.lights{ y:=film.NewLayers(W,H); y.Sparse=true; pass.Layers=append(pass.Layers,y)}
  c,_:=pass.MakeCover(context.Background(),path.Rays{Each:8,Edges:32},2)
  pass.Run(context.Background(),1,2); pass.Run(context.Background(),2,2)
  for _,q:=range [][2]int{{832,253},{790,256}}{
   x,y:=q[0],q[1]; tt:=y/32*film.Tiles(W)+x/32
   ct:=c.Tiles[tt]; a,b:=ct.Of(x,y)
   for k:=a;k<b;k++{ ce:=ct.Cells[k]; h:=ct.Hits[ce.First]; if h.Tri==film.NoTri{fmt.Println("none",ce.Share);continue}; u,v:=h.At(); sp:=p.world.S.PointAt(h.Tri,u,v)
    fmt.Println(q,"cell",ce.Share,ce.Hits,p.world.S.Objects[p.world.S.Obj[h.Tri]].Name,sp.Pos,sp.Ng,sp.Ns, "dot", sp.Ng.Dot(p.camera.Eye.Sub(sp.Pos)))
    for i,l:=range pass.Layers{ if lit:=l.Lit[tt]; lit!=nil{ A,B:=lit.Halves(k); if A.Max()>0||B.Max()>0{fmt.Println("   light",i,A.Mul(p.gains[i]),B.Mul(p.gains[i]),lit.Taken[k])}}}
   }
   fl:=filter.New(pass.Guide,p.camera)
   for _,g:=range [][]film.Kind{{film.Direct},{film.Bounced,film.Met},{film.DirectSharp,film.BouncedSharp,film.Reflected}}{
    m,d:=make([]float32,3*W*H),make([]float32,3*W*H)
    for i,l:=range pass.Layers{for _,k:=range g{l.Average(k,p.gains[i],m);l.HalfDifference(k,p.gains[i],d)}}
    o:=3*(y*W+x)
    bl,_:=fl.Choose(context.Background(),m,d,5,2)
    fmt.Println("group",g,m[o],d[o],bl.At(y*W+x))
    for lev:=1;lev<=5;lev++{ c:=append([]float32(nil),m...); fl.Apply(context.Background(),[]filter.Noisy{{c,lev,nil}},2); fmt.Print(" ",c[o])}
    c:=append([]float32(nil),m...); fl.Apply(context.Background(),[]filter.Noisy{{c,5,bl}},2); fmt.Println("  blended ",c[o])
   }
   px:=make([]float32,3*W*H)
   for i,l:=range pass.Layers{ for k:=range film.Kinds{ for j:=range px{px[j]=0}; l.Average(k,p.gains[i],px); o:=3*(y*W+x); if px[o]>0.5{fmt.Println("  kind",k,"light",i,px[o:o+3])}}}
  }
 }
}
