//! Vectors that try to act or to reach out, cleaned and laid into a page without any policy: a trap
//! that must stay silent.

use kivet_browser::Chromium;

use crate::site::{Site, laptop};

/// Ways to act or to fetch; `T` stands for an address of the trap, `A` for a script that springs it.
const ACTS: [&str; 30] = [
    "<script>A</script>",
    "<script href='T'/>",
    "<script xlink:href='T'/>",
    "<path d='M0 0h9v9z' onload='A' onclick='A'/>",
    "<image href='T' onerror='A'/>",
    "<image xlink:href='T' width='9' height='9'/>",
    "<image href='data:image/svg+xml,&lt;svg xmlns=\"http://www.w3.org/2000/svg\" onload=\"A\"/&gt;'/>",
    "<feImage href='T'/>",
    "<use href='T#x'/>",
    "<use xlink:href='data:application/xml;base64,PHN2Zy8+#x'/>",
    "<a href='javascript:A'><text>a</text></a>",
    "<a ping='T' href='#a'><text>a</text></a>",
    "<foreignObject><body xmlns='http://www.w3.org/1999/xhtml'><img src='T' onerror='A'/></body></foreignObject>",
    "<iframe xmlns='http://www.w3.org/1999/xhtml' src='T'/>",
    "<img xmlns='http://www.w3.org/1999/xhtml' src='T' onerror='A'/>",
    "<video xmlns='http://www.w3.org/1999/xhtml' src='T' onerror='A'/>",
    "<animate attributeName='href' values='T' dur='1s'/>",
    "<set attributeName='onload' to='A'/>",
    "<set attributeName='xlink:href' to='T'/>",
    "<style>@import url(T);</style>",
    "<style>@import 'T';</style>",
    "<style>@im<!-- -->port 'T';</style>",
    "<style>@font-face { font-family: f; src: url(T) } * { font-family: f }</style>",
    "<style>* { background: url(<g/>T) }</style>",
    "<style>* { background: u\\72l(T) }</style>",
    "<style>* { background-image: image-set('T' 1x) }</style>",
    "<style>* { cursor: url(T), auto; list-style: url('T') }</style>",
    "<style><![CDATA[</style><img src=T onerror=A>]]></style>",
    "<path d='M0 0h9v9z' style='fill: url(T); background: url(\"T\")' fill='url(T#p)' mask='url( T#m )'/>",
    "<title>&lt;/title&gt;&lt;img src=T onerror=A&gt;</title><desc></desc><text>]]&gt;&lt;script&gt;A&lt;/script&gt;</text>",
];

/// Where they stand; `X` is the act.
const PLACES: [&str; 17] = [
    "X",
    "<g>X</g>",
    "<defs>X</defs><use href='#a'/>",
    "<svg>X</svg>",
    "<a>X</a>",
    "<text>X</text>",
    "<style>X</style>",
    "<title>X</title>",
    "<switch>X</switch>",
    "<symbol id='a'>X</symbol><use href='#a'/>",
    "<pattern id='a'>X</pattern><rect fill='url(#a)' width='9' height='9'/>",
    "<mask id='a'>X</mask><rect mask='url(#a)' width='9' height='9'/>",
    "<filter id='a'>X</filter><rect filter='url(#a)' width='9' height='9'/>",
    "<metadata>X</metadata>",
    "<unknown>X</unknown>",
    "<o:g xmlns:o='http://www.w3.org/2000/svg'>X</o:g>",
    "&act;",
];

/// What the trap heard.
const FETCHED: &str = "performance.getEntriesByType('resource').map(one => one.name).filter(one => one.includes('trap-'))";

fn drawing(place: &str, act: &str, number: usize) -> String {
    let act = act
        .replace('T', &format!("/pic/16w/photos/trap-{number}.jpg"))
        .replace("A", &format!("window.caught={number}"));
    let entity = act.replace('&', "&#38;").replace('%', "&#37;").replace('"', "&#34;");
    format!(
        "<?xml version=\"1.0\"?><!DOCTYPE svg [<!ENTITY act \"{entity}\">]>\
         <svg xmlns=\"http://www.w3.org/2000/svg\" xmlns:xlink=\"http://www.w3.org/1999/xlink\" width=\"20\" height=\"20\">{}</svg>",
        place.replace('X', &act)
    )
}

#[tokio::test(flavor = "multi_thread")]
async fn hostile_vectors_stay_silent_once_they_are_cleaned() {
    let site = Site::start().await;
    let (mut body, mut cleaned) = (String::new(), 0);
    for (number, (place, act)) in
        PLACES.iter().flat_map(|place| ACTS.map(|act| (place, act))).enumerate()
    {
        let name = format!("hostile-{number}.svg");
        std::fs::write(site.kivet.odd.join(&name), drawing(place, act, number)).unwrap();
        let answer = site.kivet.get(&format!("/pic/fidelity-70/odd/{name}")).await;
        let status = answer.status().as_u16();
        assert!(status == 200 || status == 422, "{place} {act}: {status}");
        if status == 200 {
            cleaned += 1;
            body.push_str(&answer.text().await.unwrap());
        }
    }
    assert!(cleaned >= 400, "{cleaned} are drawings");
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(laptop()).await.unwrap();
    tab.open(&site.page("hostile.html", "", &body)).await.unwrap();
    let sprung = format!("[window.caught ?? null, {FETCHED}]");
    let (caught, fetched): (Option<u32>, Vec<String>) = tab.evaluate(&sprung).await.unwrap();
    assert_eq!((caught, fetched), (None, Vec::new()));
    // The trap itself works: as they were written, they spring it.
    let hostile: String = ACTS.iter().enumerate().map(|(at, act)| drawing("X", act, at)).collect();
    let hostile = hostile.replace("&act;", "");
    tab.open(&site.page("trap.html", "", &hostile)).await.unwrap();
    let (caught, fetched): (Option<u32>, Vec<String>) = tab.evaluate(&sprung).await.unwrap();
    assert!(caught.is_some() && fetched.len() > 3, "{caught:?} {fetched:?}");
}
