//! Tables: widths of columns, rows that stay whole, headings that stand again on each page.

use crate::fonts::{Face, Fonts};
use crate::html::{Cell, Span};
use crate::layout::{BODY, Flow, Line, Placed, leading, lines};

const PAD: f32 = 4.0;
const SIZE: f32 = BODY - 1.0;

/// The widest word of a cell, and all of it in one line.
fn extent(cell: &Cell, fonts: &Fonts) -> (f32, f32) {
    let face = |s: &Span| if s.bold { Face::Bold } else { Face::Regular };
    let word = |s: &Span| {
        let widths = s.text.split([' ', '\n']).map(|w| fonts.width(w, face(s)) * SIZE);
        widths.fold(0.0, f32::max)
    };
    let all = lines(&cell.spans, f32::INFINITY, SIZE, fonts);
    let most = all.iter().map(|l| l.width).fold(0.0, f32::max);
    (if cell.whole { most } else { cell.spans.iter().map(word).fold(0.0, f32::max) }, most)
}

/// Widths of columns that fill the table: each has at least its widest word, and of the rest a share by how much it has to say.
/// Where the widest words together do not fit, they are shared out and broken.
fn widths(rows: &[Vec<Cell>], total: f32, fonts: &Fonts) -> Vec<f32> {
    let count = rows.iter().map(|r| r.iter().map(|c| c.columns).sum::<usize>()).max().unwrap_or(0);
    let (mut least, mut most) = (vec![0.0_f32; count], vec![0.0_f32; count]);
    for row in rows {
        let mut at = 0;
        for cell in row {
            // A cell over several columns takes what they have.
            if cell.columns == 1 && at < count {
                let (l, m) = extent(cell, fonts);
                least[at] = least[at].max(l + 2.0 * PAD);
                most[at] = most[at].max(m + 2.0 * PAD);
            }
            at += cell.columns;
        }
    }
    let (l, m): (f32, f32) = (least.iter().sum(), most.iter().sum());
    if l >= total {
        return least.iter().map(|w| w * total / l).collect();
    }
    if m <= total {
        return most.iter().map(|w| w + (total - m) * w / m.max(1.0)).collect();
    }
    let wanted = m - l;
    least.iter().zip(&most).map(|(l_one, m_one)| l_one + (total - l) * (m_one - l_one) / wanted).collect()
}

struct Row {
    /// Left edge, width and lines of each cell.
    cells: Vec<(f32, f32, bool, Vec<Line>)>,
    height: f32,
}

fn row(cells: &[Cell], widths: &[f32], left: f32, fonts: &Fonts) -> Row {
    let mut at = 0;
    let mut x = left;
    let mut list = Vec::new();
    for cell in cells {
        let end = (at + cell.columns).min(widths.len());
        let width: f32 = widths[at.min(end)..end].iter().sum();
        list.push((x, width, cell.number, lines(&cell.spans, width - 2.0 * PAD, SIZE, fonts)));
        x += width;
        at = end;
    }
    let most = list.iter().map(|c| c.3.len()).max().unwrap_or(0);
    #[expect(clippy::cast_precision_loss, reason = "a count of lines")]
    let height = most as f32 * leading(SIZE) + PAD;
    Row { cells: list, height }
}

/// Places the lines of a row from one to another.
fn place(flow: &mut Flow<'_>, row: &Row, from: usize, to: usize) {
    let top = flow.y() + PAD / 2.0;
    let mut most = 0;
    for (x, width, number, list) in &row.cells {
        for (n, line) in list.iter().take(to).skip(from).enumerate() {
            #[expect(clippy::cast_precision_loss, reason = "a count of lines")]
            let y = top + n as f32 * leading(SIZE);
            let x = if *number { x + width - PAD - line.width } else { x + PAD };
            flow.line(line, x, y, SIZE);
            most = most.max(n + 1);
        }
    }
    #[expect(clippy::cast_precision_loss, reason = "a count of lines")]
    flow.down(most as f32 * leading(SIZE) + PAD);
    let y = flow.y();
    let (left, right) = (flow.left, flow.right);
    flow.place(Placed::Line { from: (left, y), to: (right, y), width: 0.4 });
}

/// Lays a table.
pub(crate) fn lay(flow: &mut Flow<'_>, rows: &[Vec<Cell>], heads: usize) {
    let widths = widths(rows, flow.width(), flow.fonts);
    let made: Vec<Row> = rows.iter().map(|r| row(r, &widths, flow.left, flow.fonts)).collect();
    let (head, body) = made.split_at(heads);
    let above: f32 = head.iter().map(|r| r.height).sum();
    let put_head = |flow: &mut Flow<'_>| {
        for row in head {
            place(flow, row, 0, usize::MAX);
        }
    };
    flow.need(above + body.first().map_or(0.0, |r| r.height.min(flow.page_height() / 3.0)));
    put_head(flow);
    for row in body {
        if row.height <= flow.room() {
            place(flow, row, 0, usize::MAX);
            continue;
        }
        if row.height + above <= flow.page_height() {
            flow.turn();
            put_head(flow);
            place(flow, row, 0, usize::MAX);
            continue;
        }
        // A row that no page holds is cut between its lines.
        let all = row.cells.iter().map(|c| c.3.len()).max().unwrap_or(0);
        let mut from = 0;
        while from < all {
            #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "lines of a page")]
            let fit = ((flow.room() - PAD) / leading(SIZE)).floor().max(0.0) as usize;
            if fit == 0 {
                flow.turn();
                put_head(flow);
                continue;
            }
            place(flow, row, from, from + fit);
            from += fit;
        }
    }
    flow.down(5.0);
}
