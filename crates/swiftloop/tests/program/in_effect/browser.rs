//! The sheet in a real browser: nothing overflows, everything can be read, it prints. Needs chromium, so these are not run by
//! default; .ci/run installs it where it can and runs them.

use super::settings;
use crate::common::Folder;
use serde_json::Value;
use std::process::Command;

const BROWSER: &str = "chromium";
const HEADLESS: [&str; 4] = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"];

fn is_there() -> bool {
    // Installed is not enough: it has to show a page here.
    let shown =
        Command::new(BROWSER).args(HEADLESS).args(["--dump-dom", "data:text/html,<p>here</p>"]).output();
    let there = shown.is_ok_and(|o| String::from_utf8_lossy(&o.stdout).contains("<p>here</p>"));
    if !there {
        swiftloop_fixtures::skipped(&format!("no {BROWSER} that shows a page is installed"));
    }
    there
}

/// Measures the page and leaves what it found as the document's text.
const MEASURE: &str = r#"<script>
function parts(c){const m=c.match(/[\d.]+/g).map(Number);return m.length<4?[...m,1]:m}
function light(c){const f=c.slice(0,3).map(v=>{v/=255;return v<=.04045?v/12.92:((v+.055)/1.055)**2.4});return .2126*f[0]+.7152*f[1]+.0722*f[2]}
function ground(e){for(;e;e=e.parentElement){const c=parts(getComputedStyle(e).backgroundColor);if(c[3]>0)return c}return [255,255,255,1]}
let worst=99,at="",cut=[];
for(const e of document.querySelectorAll("body *")){
  const own=[...e.childNodes].some(n=>n.nodeType==3&&n.data.trim());
  if(!own||e.tagName=="title")continue;
  const s=getComputedStyle(e),inSvg=e.closest("svg");
  if(s.display=="none")continue;
  const ink=parts(inSvg?s.fill:s.color),paper=ground(e);
  const [a,b]=[light(ink),light(paper)].sort((x,y)=>y-x),ratio=(a+.05)/(b+.05);
  if(ratio<worst){worst=ratio;at=e.textContent.slice(0,40)}
  const box=e.getBoundingClientRect();
  const drawn=inSvg&&inSvg.getBoundingClientRect();
  if(drawn&&(box.right>drawn.right+1||box.left<drawn.left-1))cut.push(e.textContent.slice(0,40));
  if(!e.closest(".wide")&&(box.right>innerWidth+1||box.left<-1))cut.push(e.textContent.slice(0,40));
}
const found={worst,at,cut,wide:document.documentElement.scrollWidth-innerWidth,width:innerWidth,dark:matchMedia("(prefers-color-scheme: dark)").matches};
document.documentElement.innerHTML="<body><pre>"+JSON.stringify(found).replace(/</g,"&lt;")+"</pre></body>";
</script></body>"#;

fn measured(folder: &Folder, size: &str, dark: bool) -> Value {
    let page = folder.read("s.html").replace("</body>", MEASURE);
    folder.write("measured.html", page);
    let kept = folder.path(".browser");
    let scheme = format!("--blink-settings=preferredColorScheme={}", u8::from(!dark));
    let output = Command::new(BROWSER)
        .args(HEADLESS)
        .args(["--dump-dom", &scheme])
        .arg(format!("--window-size={size}"))
        .arg(format!("--user-data-dir={}", kept.display()))
        .arg(format!("file://{}", folder.path("measured.html").display()))
        .output()
        .unwrap();
    let dom = String::from_utf8_lossy(&output.stdout).into_owned();
    let json =
        dom.split("<pre>").nth(1).and_then(|d| d.split("</pre>").next()).unwrap_or_else(|| panic!("{dom}"));
    let json = json.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    serde_json::from_str(&json).unwrap_or_else(|e| panic!("{e}: {json}"))
}

fn written() -> Folder {
    let folder = Folder::with_demo();
    assert_eq!(
        folder.run(&["sheet", "rig.toml", "rig-soaked.toml", "session.toml", "--out", "s.html"]).code,
        0
    );
    folder
}

#[test]
#[ignore = "needs chromium"]
fn it_fits_a_desk_and_a_hand_and_is_read_in_light_and_dark() {
    if !is_there() {
        return;
    }
    let folder = written();
    for size in ["1280,800", "390,844"] {
        for dark in [false, true] {
            let found = measured(&folder, size, dark);
            assert_eq!(found["dark"], dark, "{found}");
            assert!(found["worst"].as_f64() >= Some(4.5), "{size} {dark}: {found}");
            assert!(found["cut"].as_array().unwrap().is_empty(), "{size}: {found}");
            assert!(found["wide"].as_f64() <= Some(0.0), "{size}: {found}");
        }
    }
    // A name without any place to break it.
    let name = "x".repeat(300);
    folder.write("settings.toml", settings(&[("interface_name", &format!("interface_name = \"{name}\""))]));
    folder.run(&["sheet", "settings.toml", "--out", "s.html", "--force"]);
    let found = measured(&folder, "390,844", false);
    assert!(found["wide"].as_f64() <= Some(0.0), "{found}");
}

#[test]
#[ignore = "needs chromium"]
fn it_prints_a_phase_to_a_page() {
    if !is_there() {
        return;
    }
    let folder = Folder::with_demo();
    let told = folder.run(&["sheet", "rig.toml", "session.toml", "--pdf", "s.pdf"]);
    assert_eq!(told.code, 0, "{}", told.err);
    let pdf = std::fs::read(folder.path("s.pdf")).unwrap();
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > 20_000, "{}", pdf.len());
    let text = String::from_utf8_lossy(&pdf);
    let pages = text.matches("/Type /Page\n").count();
    // A page each, and no more.
    assert_eq!(pages, 10);
    if let Ok(read) = Command::new("pdftotext").arg(folder.path("s.pdf")).arg("-").output() {
        let words = String::from_utf8_lossy(&read.stdout).into_owned();
        for says in ["tracking on the 16-channel rack", "Ada, voice", "48000 Hz", "Who hears it when"] {
            assert!(words.contains(says), "{says}: {words}");
        }
    }
    let again = folder.run(&["sheet", "rig.toml", "session.toml", "--pdf", "s.pdf"]);
    assert_eq!(again.code, 2, "an existing file stays");
}

#[test]
fn without_a_browser_it_says_what_else_to_do() {
    let folder = Folder::with_demo();
    let none = [("PATH", "/nowhere"), ("SWIFTLOOP_BROWSER", "/nowhere/browser")];
    let told = folder.run_with(&["sheet", "rig.toml", "session.toml", "--pdf", "s.pdf"], &none);
    assert!(told.code == 3 && told.err.contains("--out sheet.html"), "{} {}", told.code, told.err);
    assert!(!folder.files().contains(&"s.pdf".to_string()));
}
