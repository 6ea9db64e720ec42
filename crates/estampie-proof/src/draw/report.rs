//! A few pages for the team: what there is and how it stands, and the drawings behind it.

use super::{DrawError, Drawing, failed, ink, pdf, sheet};
use plotters::prelude::*;

/// A page of a report.
#[derive(Debug, Clone)]
pub enum Page {
    /// Headings, each with its lines.
    Text(String, Vec<(String, Vec<String>)>),
    /// A drawing below a title.
    Drawing(String, Drawing),
}

/// A4 across, in points.
const PAPER: (u32, u32) = (842, 595);
const RUBRIC: RGBColor = RGBColor(176, 86, 60);
const TEXT: RGBColor = RGBColor(40, 36, 30);
const MARGIN: i32 = 40;
const LINE: i32 = 14;
/// So many characters have room in a line.
const WIDE: usize = 130;

/// A text in lines that have room.
fn broken(text: &str) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let last = lines.len() - 1;
        if !lines[last].is_empty() && lines[last].chars().count() + word.chars().count() >= WIDE {
            lines.push(String::from("    "));
        }
        let last = lines.len() - 1;
        if !lines[last].trim().is_empty() {
            lines[last].push(' ');
        }
        lines[last].push_str(word);
    }
    lines
}

fn texts(title: &str, parts: &[(String, Vec<String>)]) -> Result<Vec<pdf::Sheet>, DrawError> {
    // Heading or line, one after another; as many pages as they need.
    let mut rows: Vec<(bool, String)> = Vec::new();
    for (heading, lines) in parts.iter().filter(|(_, lines)| !lines.is_empty()) {
        rows.push((true, heading.clone()));
        rows.extend(lines.iter().flat_map(|line| broken(line)).map(|line| (false, line)));
    }
    let each = ((PAPER.1 as i32 - 2 * MARGIN - 30) / LINE) as usize;
    let mut sheets = Vec::new();
    for (number, rows) in rows.chunks(each.max(1)).enumerate() {
        let page = std::rc::Rc::new(std::cell::RefCell::new(pdf::Sheet::new(PAPER.0, PAPER.1)));
        {
            let area = pdf::PdfBackend(std::rc::Rc::clone(&page)).into_drawing_area();
            if number == 0 {
                area.draw_text(title, &ink(22, &BLACK), (MARGIN, MARGIN - 10)).map_err(failed)?;
            }
            for (row, (heading, text)) in rows.iter().enumerate() {
                let y = MARGIN + 30 + row as i32 * LINE;
                let (size, colour, x) = if *heading { (12, &RUBRIC, MARGIN) } else { (10, &TEXT, MARGIN + 10) };
                area.draw_text(text, &ink(size, colour), (x, y)).map_err(failed)?;
            }
            area.present().map_err(failed)?;
        }
        let page = std::rc::Rc::try_unwrap(page).map_err(|_| failed("the page is still being drawn"))?;
        sheets.push(page.into_inner());
    }
    Ok(sheets)
}

/// A report as PDF.
///
/// # Errors
/// When the package that draws refuses.
pub fn report(pages: &[Page]) -> Result<Vec<u8>, DrawError> {
    let mut sheets = Vec::new();
    for page in pages {
        match page {
            Page::Text(title, parts) => sheets.extend(texts(title, parts)?),
            Page::Drawing(title, drawing) if drawing.count() > 0 => sheets.push(sheet(title, drawing)?),
            Page::Drawing(..) => {}
        }
    }
    Ok(pdf::file(sheets))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_lines_are_broken_between_words_and_none_is_lost() {
        let text = (0..90).map(|n| format!("word{n}")).collect::<Vec<_>>().join(" ");
        let lines = broken(&text);
        assert!(lines.len() > 3 && lines.iter().all(|l| l.chars().count() <= WIDE + 8), "{lines:?}");
        assert_eq!(lines.iter().flat_map(|l| l.split_whitespace()).collect::<Vec<_>>().join(" "), text);
    }

    #[test]
    fn a_report_has_as_many_pages_as_its_texts_need() {
        let lines = |count: usize| vec![("What there is".to_owned(), (0..count).map(|n| format!("line {n}")).collect())];
        let pages = |count: usize| {
            let file = report(&[Page::Text("A title".into(), lines(count))]).unwrap();
            String::from_utf8_lossy(&file).matches("/Type /Page\n").count()
        };
        assert_eq!((pages(5), pages(40), pages(90)), (1, 2, 3));
    }
}
