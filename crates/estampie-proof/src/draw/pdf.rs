//! A backend of the plotting package that draws into a PDF page.

use pdf_writer::{Content, Finish as _, Name, Pdf, Rect, Ref, Str};
use plotters_backend::text_anchor::{HPos, VPos};
use plotters_backend::{BackendColor, BackendCoord, BackendStyle, BackendTextStyle, DrawingBackend, DrawingErrorKind};
use std::cell::RefCell;
use std::convert::Infallible;
use std::rc::Rc;

/// A page being drawn.
pub(super) struct Sheet {
    content: Content,
    width: u32,
    height: u32,
}

/// The page as the plotting package draws on it; it keeps the backend to itself, so the page is shared.
pub(super) struct PdfBackend(pub(super) Rc<RefCell<Sheet>>);

type Drawn = Result<(), DrawingErrorKind<Infallible>>;

impl Sheet {
    pub(super) fn new(width: u32, height: u32) -> Sheet {
        Sheet { content: Content::new(), width, height }
    }

    /// PDF counts upwards from the foot of the page.
    fn at(&self, (x, y): BackendCoord) -> (f32, f32) {
        (x as f32, self.height as f32 - y as f32)
    }

    fn colour(&mut self, colour: BackendColor, fill: bool) -> bool {
        let (r, g, b) = colour.rgb;
        let [r, g, b] = [r, g, b].map(|v| f32::from(v) / 255.0);
        if fill {
            self.content.set_fill_rgb(r, g, b);
        } else {
            self.content.set_stroke_rgb(r, g, b);
        }
        colour.alpha > 0.0
    }

    fn path(&mut self, points: impl IntoIterator<Item = BackendCoord>) {
        for (at, point) in points.into_iter().enumerate() {
            let (x, y) = self.at(point);
            if at == 0 {
                self.content.move_to(x, y);
            } else {
                self.content.line_to(x, y);
            }
        }
    }
}

/// Pages as a file.
pub(super) fn file(sheets: Vec<Sheet>) -> Vec<u8> {
    let [catalog, pages, font] = [1, 2, 3].map(Ref::new);
    let of = |at: usize| (Ref::new(4 + 2 * at as i32), Ref::new(5 + 2 * at as i32));
    let mut pdf = Pdf::new();
    pdf.catalog(catalog).pages(pages);
    pdf.pages(pages).kids((0..sheets.len()).map(|at| of(at).0)).count(sheets.len() as i32);
    pdf.type1_font(font).base_font(Name(b"Helvetica")).encoding_predefined(Name(b"WinAnsiEncoding"));
    for (at, sheet) in sheets.into_iter().enumerate() {
        let (page, content) = of(at);
        let mut own = pdf.page(page);
        own.media_box(Rect::new(0.0, 0.0, sheet.width as f32, sheet.height as f32)).parent(pages).contents(content);
        own.resources().fonts().pair(Name(b"F"), font);
        own.finish();
        pdf.stream(content, &sheet.content.finish());
    }
    pdf.finish()
}

/// Helvetica's widths of the printable ASCII characters, in thousandths of its size (Adobe's metrics of the font).
const WIDTHS: [u16; 95] = [
    278, 278, 355, 556, 556, 889, 667, 191, 333, 333, 389, 584, 278, 333, 278, 278, 556, 556, 556, 556, 556, 556, 556, 556, 556, 556, 278, 278, 584, 584, 584,
    556, 1015, 667, 667, 722, 722, 667, 611, 778, 722, 278, 500, 667, 556, 833, 722, 778, 667, 778, 722, 667, 611, 722, 667, 944, 667, 667, 611, 278, 278, 278,
    469, 556, 333, 556, 556, 500, 556, 556, 278, 556, 556, 222, 222, 500, 222, 833, 556, 556, 556, 556, 333, 500, 278, 556, 500, 722, 500, 500, 500, 334, 260,
    334, 584,
];

/// The text in the encoding of the page; what it has not is a question mark.
fn encoded(text: &str) -> Vec<u8> {
    text.chars()
        .map(|c| match c {
            ' '..='~' => c as u8,
            '−' | '–' => b'-',
            '⟶' | '→' => b'>',
            '\u{a0}'..='\u{ff}' => c as u32 as u8,
            _ => b'?',
        })
        .collect()
}

fn width(text: &[u8], size: f64) -> f64 {
    text.iter().map(|c| f64::from(c.checked_sub(32).and_then(|i| WIDTHS.get(usize::from(i))).copied().unwrap_or(556))).sum::<f64>() * size / 1000.0
}

impl DrawingBackend for PdfBackend {
    type ErrorType = Infallible;

    fn get_size(&self) -> (u32, u32) {
        let sheet = self.0.borrow();
        (sheet.width, sheet.height)
    }

    fn ensure_prepared(&mut self) -> Drawn {
        Ok(())
    }

    fn present(&mut self) -> Drawn {
        Ok(())
    }

    fn draw_pixel(&mut self, point: BackendCoord, color: BackendColor) -> Drawn {
        let mut sheet = self.0.borrow_mut();
        if sheet.colour(color, true) {
            let (x, y) = sheet.at(point);
            sheet.content.rect(x, y, 1.0, 1.0).fill_nonzero();
        }
        Ok(())
    }

    fn draw_line<S: BackendStyle>(&mut self, from: BackendCoord, to: BackendCoord, style: &S) -> Drawn {
        self.draw_path([from, to], style)
    }

    fn draw_path<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(&mut self, path: I, style: &S) -> Drawn {
        let mut sheet = self.0.borrow_mut();
        if sheet.colour(style.color(), false) {
            sheet.content.set_line_width(style.stroke_width() as f32);
            sheet.path(path);
            sheet.content.stroke();
        }
        Ok(())
    }

    fn draw_rect<S: BackendStyle>(&mut self, from: BackendCoord, to: BackendCoord, style: &S, fill: bool) -> Drawn {
        let corners = [from, (to.0, from.1), to, (from.0, to.1), from];
        if fill { self.fill_polygon(corners, style) } else { self.draw_path(corners, style) }
    }

    fn fill_polygon<S: BackendStyle, I: IntoIterator<Item = BackendCoord>>(&mut self, corners: I, style: &S) -> Drawn {
        let mut sheet = self.0.borrow_mut();
        if sheet.colour(style.color(), true) {
            sheet.path(corners);
            sheet.content.close_path().fill_nonzero();
        }
        Ok(())
    }

    fn draw_circle<S: BackendStyle>(&mut self, centre: BackendCoord, radius: u32, style: &S, fill: bool) -> Drawn {
        let corner = |i: i32| {
            let angle = f64::from(i) * std::f64::consts::TAU / 24.0;
            let r = f64::from(radius);
            (centre.0 + (r * angle.cos()).round() as i32, centre.1 + (r * angle.sin()).round() as i32)
        };
        let points: Vec<BackendCoord> = (0..=24).map(corner).collect();
        if fill { self.fill_polygon(points, style) } else { self.draw_path(points, style) }
    }

    fn estimate_text_size<S: BackendTextStyle>(&self, text: &str, style: &S) -> Result<(u32, u32), DrawingErrorKind<Infallible>> {
        Ok((width(&encoded(text), style.size()).ceil() as u32, (style.size() * 0.9).ceil() as u32))
    }

    fn draw_text<S: BackendTextStyle>(&mut self, text: &str, style: &S, position: BackendCoord) -> Drawn {
        let mut sheet = self.0.borrow_mut();
        if !sheet.colour(style.color(), true) {
            return Ok(());
        }
        let bytes = encoded(text);
        // Helvetica's capitals are 0.72 of its size.
        let (size, length, tall) = (style.size(), width(&bytes, style.size()), style.size() * 0.72);
        let along = match style.anchor().h_pos {
            HPos::Left => 0.0,
            HPos::Center => -length / 2.0,
            HPos::Right => -length,
        };
        let down = match style.anchor().v_pos {
            VPos::Top => tall,
            VPos::Center => tall / 2.0,
            VPos::Bottom => 0.0,
        };
        let (x, y) = sheet.at(position);
        let turned = matches!(style.transform(), plotters_backend::FontTransform::Rotate270);
        // Turned to the left, what runs along the line runs upwards.
        let (cos, sin) = if turned { (0.0, 1.0) } else { (1.0, 0.0) };
        let (x, y) = (f64::from(x) + along * cos + down * sin, f64::from(y) + along * sin - down * cos);
        let matrix = [cos as f32, sin as f32, -sin as f32, cos as f32, x as f32, y as f32];
        sheet.content.begin_text().set_font(Name(b"F"), size as f32).set_text_matrix(matrix).show(Str(&bytes)).end_text();
        Ok(())
    }
}
