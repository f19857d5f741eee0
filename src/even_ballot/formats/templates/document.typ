// The pages of a release. Everything said in them comes as data (sys.inputs.document); nothing is read as markup.

#let doc = json(bytes(sys.inputs.document))
#let ink = rgb("#1d1b18")
#let soft = rgb("#5f584f")
#let rule = 0.6pt + rgb("#8a8378")
#let accent = rgb(doc.accent)
#let sans = "Source Sans 3"
#let display = if doc.serif { "Source Serif 4" } else { sans }
#let size = doc.size * 1pt

#set document(title: doc.title, author: doc.authors, date: datetime(..doc.made))
#set text(font: sans, size: size, fill: ink, lang: doc.lang, region: doc.region, number-type: "lining", hyphenate: false)
#set par(leading: 0.62em, spacing: 0.9em)
#set page(
  paper: doc.paper,
  margin: (rest: doc.margin * 1mm, bottom: (doc.margin + 4) * 1mm),
  footer: context {
    set text(size: 8pt, fill: soft)
    let page = counter(page).get().first()
    grid(columns: (1fr, auto), column-gutter: 6mm, if page > 1 { doc.title }, str(page))
  },
)
#show heading: set text(font: display, weight: 600)
#show heading: set block(sticky: true)
#show heading.where(level: 1): it => { set text(size: 1.5em / 1.4, fill: accent); block(above: 2em, below: 0.7em, it.body) }
#show heading.where(level: 2): it => { set text(size: 1.2em / 1.2); block(above: 1.6em, below: 0.6em, it.body) }
#show heading.where(level: 3): it => { set text(size: 1.05em); block(above: 1.3em, below: 0.5em, it.body) }
#show link: set text(fill: accent)
#set list(marker: "•", spacing: 0.7em)

#let said(runs) = for run in runs { if run.stressed { emph(run.text) } else { run.text } }

// Tables.

#show figure: set block(breakable: true)
#show figure: set align(left)
#show figure.caption: it => it.body
#set figure(gap: 0.7em, supplement: none, numbering: none)

#let cell-of(entry) = if type(entry) == str { entry } else { entry.at(0) + super(size: 0.75em, entry.at(1)) }

// Rows that follow one another stay on a page by a cell without width that reaches over them all.
#let keeping(row) = if row.keep > 0 { (table.cell(rowspan: row.keep, breakable: false, inset: 0pt, []),) } else { () }

#let row-of(row) = {
  if row.kind == "group" {
    let title = text(font: display, weight: 600, row.label)
    return (table.header(level: 2, repeat: false, table.cell(
      colspan: row.over + 1, align: left, inset: (x: 0pt, top: 0.9em, bottom: 0.35em), title,
    )),)
  }
  let small = row.kind == "soft"
  let own(body) = if small { text(size: 0.87em, fill: soft, body) } else if row.kind == "base" { emph(body) } else { body }
  let label = own(row.labels.first())
  let labels = (if small { table.cell(inset: (left: 2em), label) } else { label }, ..row.labels.slice(1).map(name => text(fill: soft, own(name))))
  let entries = if row.kind == "figure" { row.entries.map(cell-of) } else { row.entries.map(entry => own(cell-of(entry))) }
  (..labels, ..entries, ..keeping(row))
}

#let head-of(head) = table.cell(
  x: head.x, y: head.y, colspan: head.span, rowspan: head.down,
  align: if head.stub { left + bottom } else if head.span > 1 { center + bottom } else { right + bottom },
  inset: (x: 0.5em, top: 0.5em, bottom: if head.span > 1 { 0pt } else { 0.28em }),
  if head.span > 1 {
    block(width: 100%, inset: (bottom: 0.28em), stroke: (bottom: rule), text(weight: 600, head.text))
  } else { text(weight: 600, head.text) },
)

#let notes-of(notes) = {
  set text(size: 0.87em, fill: soft)
  set par(leading: 0.5em, spacing: 0.55em)
  for note in notes { par(note) }
}

// Notes that are held together with the last row stand in the table, and may be wider than it.
#let held-notes(piece) = if piece.held.len() > 0 {
  (table.cell(
    colspan: piece.widths.len(), align: left, inset: (x: 0pt, top: 0.6em, bottom: 0pt),
    block(width: piece.room * 1mm, notes-of(piece.held)),
  ),)
} else { () }

#let table-of(piece, stub) = table(
  columns: (..piece.widths.map(wide => wide * 1mm), 0pt),
  align: (column, row) => if column < stub { left } else { right },
  inset: (x: 0.5em, y: 0.28em),
  stroke: none,
  table.hline(stroke: rule),
  table.header(..piece.heads.map(head-of)),
  table.hline(stroke: rule),
  ..piece.rows.map(row-of).flatten(),
  table.hline(stroke: rule),
  ..held-notes(piece),
)

#let piece-of(block, piece, first) = {
  show table: set text(size: 0.95em, number-width: "tabular")
  show table: set par(leading: 0.4em)
  let title = text(font: display, size: 1.1em, weight: 600, piece.caption) + if first { } else { text(font: display, size: 1.1em, " (continued)") }
  let under = if piece.subtitle != "" { linebreak() + text(fill: soft, piece.subtitle) }
  let whole = figure(
    kind: table, outlined: first and block.listed,
    caption: figure.caption(position: top, title + under),
    table-of(piece, block.stub),
  )
  if first [#whole#label(block.anchor)] else { whole }
}

#let show-table(it) = {
  let pieces = it.pieces
  for (k, piece) in pieces.enumerate() {
    block(breakable: not it.short, width: 100%, above: 1.2em, below: if k == pieces.len() - 1 { 2em } else { 0.9em }, {
      piece-of(it, piece, k == 0)
      if k == pieces.len() - 1 { notes-of(it.notes) }
    })
  }
}

#let show-picture(it) = block(breakable: false, above: 1.6em, below: 1.6em)[
  #figure(
    kind: image, outlined: false,
    caption: figure.caption(position: top, text(font: display, size: 1.1em, weight: 600, it.caption)),
    image(bytes(it.svg), format: "svg", alt: it.says, width: doc.room * 1mm),
  )#label(it.anchor)
]

#let shown(it) = {
  if it.kind == "heading" [#heading(level: it.level, it.text)#label(it.anchor)]
  else if it.kind == "paragraph" { par(said(it.runs)) }
  else if it.kind == "list" { list(..it.items.map(said)) }
  else if it.kind == "picture" { show-picture(it) }
  else { show-table(it) }
}

// The first page.

#show title: set text(font: display, size: 2.1em / 1.7, weight: 600)
#show title: set block(below: 0.6em)
#title()
#if doc.subtitle != "" { block(text(font: display, size: 1.25em, fill: soft, doc.subtitle)) }
#if doc.by != "" { block(text(fill: soft, doc.by)) }

#if doc.contents.len() > 0 {
  let lines = (:)
  for line in doc.contents { lines.insert(line.anchor, line) }
  show outline.entry: it => {
    let line = lines.at(str(it.element.label))
    block(above: 0.55em, below: 0.55em, inset: (left: 1.4em * (line.level - 1)), link(it.element.location(), {
      line.text
      box(width: 1fr, text(fill: soft, repeat(" .")))
      text(fill: soft, it.page())
    }))
  }
  block(above: 1.6em, below: 2em, stroke: (y: rule), width: 100%, inset: (y: 0.9em), {
    text(font: display, fill: soft, weight: 600, "Contents")
    outline(title: none, target: heading.where(level: 1).or(heading.where(level: 2)).or(figure.where(kind: table)))
  })
}

#for part in doc.parts {
  if part.turned { page(flipped: true, for it in part.blocks { shown(it) }) } else { for it in part.blocks { shown(it) } }
}
