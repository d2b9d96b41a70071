package main
import ("testing";"os";"fmt";"context";"juvalogos/core/reading";"juvalogos/internal/pdfium")
func TestZZ(t *testing.T){ b,_:=os.ReadFile(os.Getenv("F")); e:=pdfium.New("/tmp/juvalogos-reading/engine")
 d,err:=reading.Read(context.Background(),os.Getenv("F"),b,e,reading.DefaultLimits); if err!=nil{t.Fatal(err)}
 c:=map[reading.BlockKind]int{}
 for _,x:=range d.Blocks{c[x.Kind]++; pg:=0; if len(x.Marks)>0{pg=x.Marks[0].Page}; fmt.Printf("p%d %s%d ¶%d.%d | %.170q\n",pg,x.Kind,x.Level,x.Chapter,x.Paragraph,x.Text)}
 fmt.Println(d.Title,d.Words,c); for _,o:=range d.Left{fmt.Println(o.Why,o.Words,o.Count,o.Sample)} }
