//! The report as one HTML file that holds its pictures and asks nothing of any network.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use dettaglio_core::codec::png_bytes;
use maud::{DOCTYPE, Markup, PreEscaped, html as markup};

use super::contents::{Cut, Entry, Report, bytes, print_words, results};

const STYLE: &str = "
body { font: 15px/1.45 'Source Sans 3', 'Segoe UI', sans-serif; color: #23211E; background: #F4F1EA; margin: 0 auto; max-width: 980px; padding: 32px 24px; }
h1 { font-size: 24px; margin: 0 0 4px; } h2 { font-size: 17px; margin: 0 0 6px; }
article { background: #FBF9F5; border: 1px solid #D9D3C7; padding: 16px 20px; margin: 20px 0; break-inside: avoid; }
dl { display: grid; grid-template-columns: 110px 1fr; gap: 2px 12px; margin: 0; } dt { color: #65605A; } dd { margin: 0; }
figure { display: grid; grid-template-columns: 1fr 1fr; gap: 6px; margin: 14px 0 0; } figure img { width: 100%; display: block; background: #777; }
figcaption { grid-column: 1 / 3; color: #65605A; font-size: 13px; } .faint { color: #65605A; } code { font-size: 12px; overflow-wrap: anywhere; }
@media print { body { background: none; padding: 0; } article { border-color: #bbb; } }
";

/// The whole page.
pub fn html(report: &Report) -> String {
    let details = &report.order.details;
    let page = markup! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                title { (details.title) ": what was done" }
                style { (PreEscaped(STYLE)) }
            }
            body {
                h1 { (details.title) }
                p class="faint" {
                    @if !details.client.is_empty() { "For " (details.client) ". " }
                    @if !details.purpose.is_empty() { (details.purpose) ". " }
                    @if let Some(print) = &details.print { "Usual print: " (print_words(&print.target)) ". " }
                    (results(report.entries.len())) "; " (report.made_at.format("%-d %B %Y, %H:%M UTC"))
                }
                @for entry in &report.entries { (article(entry)) }
            }
        }
    };
    page.into_string()
}

fn article(entry: &Entry) -> Markup {
    markup! {
        article {
            h2 { (entry.file_name) }
            dl {
                dt { "Original" } dd { (entry.original) ", " (entry.original_size) }
                dt { "Result" } dd { (entry.size) ", " (entry.format) ", " (bytes(entry.bytes)) }
                dt { "Treatment" } dd { (entry.treatment) br; code { (entry.treatment_hash) } }
                dt { "Reading" } dd { (entry.reading.join(" ")) }
                dt { "Print" } dd { (entry.verdict) }
                dt { "Looked through" } dd { (entry.opinion) }
                dt { "Time" } dd { (format!("{:.0} s", entry.seconds)) }
            }
            @for cut in &entry.cuts { (figure(cut)) }
        }
    }
}

fn figure(cut: &Cut) -> Markup {
    let source = |planes| format!("data:image/png;base64,{}", STANDARD.encode(png_bytes(planes)));
    markup! {
        figure {
            img src=(source(&cut.before)) alt={ "Before, " (cut.name) };
            img src=(source(&cut.after)) alt={ "After, " (cut.name) };
            figcaption { (cut.name) ": the original by bicubic resampling, and the result, pixel for pixel" }
        }
    }
}
