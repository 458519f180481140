//! Finding one's way round the van on paper: any circuit, its neighbours, one conductor, one connector.

use crate::bench::{Browser, House};

async fn about(b: &Browser, words: &str) {
    b.find("circuit of", words).await;
}

pub async fn any_circuit_can_be_found_grown_followed_and_taken_apart(house: &House) {
    let url = house.demo();
    let b = &house.browser;
    b.go(&format!("{url}/job/1/circuit")).await;
    b.css("[data-wire='62']").await;

    // A ground point: everything that ends there, the motor of another circuit too.
    about(b, "ground g6").await;
    b.css("[data-part='M6']").await;
    b.css("[data-part='G6']").await;
    b.picture("circuit-ground").await;

    // A code: the supply and the ground of the module that sets it.
    about(b, "U3006 A10").await;
    b.css("[data-part='F48']").await;
    b.css("[data-part='G19']").await;
    assert!(!b.has("[data-part='M6']").await);

    // Its connector, cavity by cavity; a cavity says where its conductor goes.
    b.css("[data-pin='X10.30']").await.click().await.unwrap();
    b.press("face of X10").await;
    b.css("[data-cavity='X10.MAP']").await.click().await.unwrap();
    b.says("to XB1.3 Manifold pressure sensor").await;
    b.picture("connector-face").await;
    b.press("back to the sheet").await;
    b.css("[data-pin='X10.30']").await.click().await.unwrap();

    // From there along the conductor, and on to what hangs beside it.
    b.press("follow 160").await;
    b.css("input[placeholder='Conductor 160 end to end']").await;
    b.gone("[data-part='G19']").await;
    b.press("more at X10").await;
    b.css("[data-wire='193']").await;

    // What the leading suspect would do, beside the sound values.
    about(b, "output rear washer").await;
    b.css("[data-wire='62']").await;
    b.css("[aria-label='values']").await.click().await.unwrap();
    b.css("[role='option']:nth-child(3)").await.click().await.unwrap();
    b.css("text[fill='var(--copper)']").await;

    // What hands could do here: what a moved harness would show, and insulation between neighbours.
    b.press("Move or look").await;
    b.fill("input[aria-label='moved at']", "XM7").await;
    b.gone("[data-coverage]").await;
    b.fill("input[aria-label='moved at']", "M7").await;
    b.css("[data-coverage='allowed']").await;
    b.says("Leaves open:").await;
    b.press("Insulation").await;
    b.fill("input[aria-label='one conductor']", "189").await;
    b.fill("input[aria-label='other conductor']", "190").await;
    b.says("ohms from").await;
    b.picture("insulation").await;
    // Both lead to the same splice: nothing to be found between them.
    b.fill("input[aria-label='other conductor']", "195").await;
    b.fill("input[aria-label='one conductor']", "190").await;
    b.css("[data-coverage='refused']").await;
    b.press("Read").await;

    // Nonsense finds nothing and says so; the sheet stays.
    let field = "input[aria-label='circuit of']";
    b.css(field).await.click().await.unwrap();
    b.css(field).await.send_keys("flux capacitor").await.unwrap();
    b.says("Nothing here is called that").await;
    b.css(field).await.send_keys("\u{e00c}").await.unwrap();
    b.css("[data-wire='62']").await;

    // Anything at all by any of its words, from anywhere; where one is stands in the address.
    b.press("Outputs").await;
    b.fill("[aria-label='find an output']", "washer rear").await;
    b.css("[data-output='rear_washer']").await;
    b.gone("[data-output='front_washer']").await;
    b.press("Find").await;
    b.fill("[aria-label='find anything']", "red rear fuse wiper").await;
    b.client.active_element().await.unwrap().send_keys("\u{e007}").await.unwrap();
    b.css("[data-part='F24']").await;
    let here = b.client.current_url().await.unwrap();
    assert!(here.path().ends_with("/circuit"), "{here}");
    assert!(here.query().is_some_and(|q| q.contains("about=")), "{here}");
    // Keys alone make the sheet larger, and the way back leads to where one was.
    let scale = "return Number(document.querySelector('[data-scale]').dataset.scale)";
    let before = b.client.execute(scale, vec![]).await.unwrap().as_f64().unwrap();
    let svg = "svg[role='group']";
    b.css(svg).await.send_keys("++").await.unwrap();
    let after = b.client.execute(scale, vec![]).await.unwrap().as_f64().unwrap();
    assert!(after > 1.4 * before, "{before} {after}");
    b.client.back().await.unwrap();
    b.css("[data-output='rear_washer']").await;
}
