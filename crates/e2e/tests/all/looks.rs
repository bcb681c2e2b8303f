//! Every view in both drawings and at a tablet's width: no violation of WCAG 2.2 AA that axe-core finds,
//! nothing hangs over the page's edge.

use serde_json::{Value, json};
use spannung_e2e::{Client, Done, Shop};

/// The views, with what shows that they are there. `{406}` is the job of that number.
const VIEWS: &[(&str, &str)] = &[
    ("/", "[data-ticket]"),
    ("/new", "#words"),
    ("/me", "[data-form=code]"),
    ("/jobs/{406}/intake", "[data-save]"),
    ("/jobs/{408}/gate", "[data-contact]"),
    ("/jobs/{403}/gate", "[data-stop]"),
    ("/jobs/{406}/bench", "[data-card]"),
    ("/jobs/{407}/bench", "[data-controls]"),
    ("/jobs/{406}/vehicle", "[data-pack]"),
    ("/jobs/{410}/bench", "[data-form=point]"),
    ("/jobs/{412}/repair", "[data-part]"),
    ("/jobs/{405}/repair", "[data-quote]"),
    ("/jobs/{412}/proof", "[data-check]"),
    ("/jobs/{409}/proof", "[data-gate-again]"),
    ("/jobs/{412}/hand-back", "[data-outcome]"),
    ("/jobs/{401}/hand-back", "[data-closed]"),
    ("/jobs/{401}/report", "[data-report-sheet]"),
    ("/jobs/{406}/record", "[data-line]"),
    ("/nowhere", "a"),
];
const OWNERS: &[(&str, &str)] = &[("/shop", "[data-form=shop]")];

fn axe() -> Done<String> {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    Ok(std::fs::read_to_string(
        root.join("web/node_modules/axe-core/axe.min.js"),
    )?)
}

/// axe-core reads the words of a page and not what stands in its fields: their contrast is looked at here.
const FIELDS: &str = "
    const part = (c) => { c /= 255; return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4; };
    const rgb = (text) => (text.match(/[\\d.]+/g) ?? []).map(Number);
    const light = ([r, g, b]) => 0.2126 * part(r) + 0.7152 * part(g) + 0.0722 * part(b);
    const ground = (e) => {
      for (; e; e = e.parentElement) {
        const c = rgb(getComputedStyle(e).backgroundColor);
        if (c.length === 3 || c[3] === 1) return c;
      }
      return [255, 255, 255];
    };
    return [...document.querySelectorAll('input:not([type=file]), textarea, select')]
      .filter((f) => !f.disabled && f.getClientRects().length > 0)
      .map((f) => {
        const [a, b] = [light(rgb(getComputedStyle(f).color)), light(ground(f))];
        return [f.name || f.id || f.ariaLabel, (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05)];
      })
      .filter(([, ratio]) => ratio < 4.5)
      .map(([name, ratio]) => name + ' has a contrast of ' + ratio.toFixed(1));";

async fn look(shop: &Shop, views: &[(&str, &str)], found: &mut Vec<String>) -> Done {
    let b = &shop.browser;
    let axe = axe()?;
    let client = Client::sign_in(&shop.server.url, "Pavo Renk").await?;
    let rack = client.get("/rack?find=04").await?;
    let address = |path: &str| -> String {
        let mut path = path.to_string();
        for list in ["workable", "waiting", "closed"] {
            for t in rack[list].as_array().into_iter().flatten() {
                let id = t["id"].as_str().unwrap_or_default();
                path = path.replace(&format!("{{{}}}", t["number"]), id);
            }
        }
        format!("{}{path}", shop.server.url)
    };
    for (width, theme) in [(1280, "light"), (1280, "dark"), (820, "light")] {
        b.size(width, if width == 820 { 1180 } else { 800 }).await?;
        b.script(&format!(
            "localStorage.setItem('spannung-theme', '{theme}')"
        ))
        .await?;
        for (path, there) in views {
            b.page.goto(address(path)).await?;
            b.see(there).await?;
            // the colours are the same at every width
            let result = if width != 1280 {
                json!([])
            } else {
                b.page.execute(&axe, Vec::new()).await?;
                b
                .page
                .execute_async(
                    "const done = arguments[arguments.length - 1];
                     axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'], resultTypes: ['violations'] })
                       .then((r) => done(r.violations.map((v) => v.id + ': ' + v.nodes.slice(0, 3).map((n) =>
                         n.target.join(' ') + ' ' + (n.any[0]?.message ?? n.all[0]?.message ?? n.none[0]?.message ?? '')).join(' | '))))
                       .catch((e) => done(['axe: ' + e]));",
                    Vec::new(),
                )
                .await?
                .json()
                .clone()
            };
            for v in result.as_array().cloned().unwrap_or_default() {
                found.push(format!(
                    "{path} {width} {theme}: {}",
                    v.as_str().unwrap_or("")
                ));
            }
            let dim = b.script(FIELDS).await?;
            for v in dim.as_array().into_iter().flatten() {
                let field = v.as_str().unwrap_or_default();
                found.push(format!("{path} {width} {theme}: field {field}"));
            }
            let over = b
                .script("return document.documentElement.scrollWidth - document.documentElement.clientWidth")
                .await?;
            if over.as_i64().unwrap_or(0) > 0 {
                found.push(format!("{path} {width} {theme}: {over} px over the edge"));
            }
            let shown: Value = b
                .script("return document.documentElement.dataset.theme")
                .await?;
            let wanted = if path.contains("report") {
                "light"
            } else {
                theme
            };
            if shown != json!(wanted) {
                found.push(format!("{path}: shown {shown}, wanted {wanted}"));
            }
        }
    }
    Ok(())
}

#[tokio::test]
async fn no_view_violates_wcag_or_hangs_over() -> Done {
    let shop = Shop::open(1280, 800, "Pavo Renk").await?;
    let mut found = Vec::new();
    look(&shop, VIEWS, &mut found).await?;
    shop.browser.page.delete_all_cookies().await?;
    shop.browser.page.goto(&shop.server.url).await?;
    look(&shop, &[("/", "input[name=password]")], &mut found).await?;
    shop.browser.sign_in(&shop.server.url, "Ilse Dorn").await?;
    look(&shop, OWNERS, &mut found).await?;
    assert!(found.is_empty(), "{}", found.join("\n"));
    shop.close().await
}
