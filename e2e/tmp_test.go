package e2e
import ("testing";"time";"os";"github.com/chromedp/chromedp";"fmt")
func TestTmp(t *testing.T){
 b:=open(t,os.Getenv("WILLOWHERB_URL"),1280,800)
 b.until("ledger",`document.querySelector('[data-light=lantern]')`)
 b.shot("/tmp/shots/0.png")
 b.until("picture",ready)
 b.shot("/tmp/shots/1.png")
 time.Sleep(45*time.Second)
 fmt.Println(js[string](b,`document.querySelector('.view-line').textContent + ' | ' + document.querySelector('.budget').textContent`))
 b.still(); b.shot("/tmp/shots/2.png")
 b.row("lantern"); b.do(chromedp.KeyEvent("a")); time.Sleep(2*time.Second); b.shot("/tmp/shots/3.png"); b.do(chromedp.KeyEvent("\x1b"))
 b.do(chromedp.KeyEvent("4")); time.Sleep(20*time.Second); b.still(); b.shot("/tmp/shots/4.png")
 x,y:=b.in(0.3,0.5); b.mouse("mouseMoved",x,y,"none"); r:=b.hold("q"); b.until("weighed", `document.querySelector('.weighed .line')`); time.Sleep(2*time.Second); b.shot("/tmp/shots/5.png"); r()
}
