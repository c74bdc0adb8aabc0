package main
import ("context";"fmt";"os";"strconv";"time";"github.com/chromedp/chromedp")
func main(){
 opts:=append(chromedp.DefaultExecAllocatorOptions[:],chromedp.ExecPath("/usr/bin/chromium"),chromedp.NoSandbox,chromedp.WindowSize(1280,800),chromedp.Flag("use-gl","angle"),chromedp.Flag("use-angle","swiftshader"),chromedp.Flag("enable-unsafe-swiftshader",true))
 a,c:=chromedp.NewExecAllocator(context.Background(),opts...);defer c()
 ctx,c2:=chromedp.NewContext(a);defer c2()
 start:=time.Now()
 fmt.Println(chromedp.Run(ctx,chromedp.Navigate("http://127.0.0.1:7461")))
 for _,s:=range os.Args[1:]{ n,_:=strconv.Atoi(s); time.Sleep(time.Until(start.Add(time.Duration(n)*time.Second)))
  b,err:=chromedp.Run(ctx,chromedp.CaptureScreenshot()); if err!=nil{fmt.Println(err)}
  t,err:=chromedp.Run(ctx,chromedp.Evaluate[string](`(document.body.innerText.match(/[^\n]*(samples|noise|%)[^\n]*/gi)||[]).slice(0,8).join(" | ")`)); if err!=nil{fmt.Println(err)}
  os.WriteFile("/tmp/x/shot-"+s+".png",b,0o644); fmt.Println(s,t)
 }
}
