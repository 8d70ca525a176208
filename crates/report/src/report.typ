// A document on paper. It says nothing of its own: every word comes with the document.
#let sent = json("document.json")
#let doc = sent.document

#let ink = rgb("#20172a")
#let soft = rgb("#5f5367")
#let line-color = rgb("#c9bda9")
#let verdigris = rgb("#0d5a52")
#let alarm = rgb("#8c1016")
#let brass = rgb("#a8762a")

#set document(title: doc.title, author: doc.shop)
#set page(
  paper: sent.paper,
  margin: (x: 16mm, top: 15mm, bottom: 18mm),
  footer: [
    #set text(8pt, fill: soft)
    #grid(columns: (1fr, auto), gutter: 8pt, doc.foot, context [page #counter(page).display() of #counter(page).final().first()])
  ],
)
#set text(font: ("Archivo", "Archivo Ext", "DejaVu Sans"), size: 9.5pt, fill: ink, lang: "en", number-width: "tabular")
#set par(leading: 0.55em, spacing: 0.75em)
#set table(stroke: (x, y) => (bottom: 0.4pt + line-color), inset: (x: 3pt, y: 3.2pt))
#show heading.where(level: 1): set text(20pt, weight: "bold")
#show heading.where(level: 2): it => block(above: 14pt, below: 7pt, sticky: true)[
  #set text(12pt, weight: "bold")
  #it.body
]

#let say(span) = {
  let tone = span.tone
  if tone == "strong" { strong(span.text) } else if tone == "soft" { text(fill: soft, span.text) } else if tone == "struck" { text(fill: soft, strike(span.text)) } else if tone == "alarm" { text(fill: alarm, strong(span.text)) } else { span.text }
}

// Each decision has a shape and a word: colour says nothing alone.
#let shapes = (
  within: (verdigris, circle(radius: 3pt, fill: verdigris)),
  below: (alarm, polygon(fill: alarm, (0pt, 0pt), (7pt, 0pt), (3.5pt, 6pt))),
  above: (alarm, polygon(fill: alarm, (0pt, 6pt), (7pt, 6pt), (3.5pt, 0pt))),
  undecided: (soft, circle(radius: 3pt, stroke: 1pt + soft)),
  not_measured: (soft, circle(radius: 3pt, stroke: (paint: soft, thickness: 0.8pt, dash: "dotted"))),
)
#let decided(decision) = {
  let (id, word) = decision
  let (paint, shape) = shapes.at(id, default: shapes.not_measured)
  box(baseline: 0pt, shape)
  h(3pt)
  text(fill: paint, weight: "bold", word)
}

#let blocks = (
  heading: (at, block) => heading(level: 2, block.text),
  text: (at, it) => {
    set text(11pt) if it.large
    par(it.spans.map(say).join(" "))
  },
  decision: (at, it) => par[#it.of #decided(it.said)],
  notice: (at, it) => block(width: 100%, inset: 7pt, stroke: 0.8pt + alarm, radius: 2pt, it.spans.map(say).join(" ")),
  table: (at, it) => {
    let cell(cell) = {
      if cell.span.text != "" { say(cell.span) }
      if cell.span.text != "" and cell.decision != none { h(5pt) }
      if cell.decision != none { decided(cell.decision) }
    }
    let body = it.rows.flatten().map(cell)
    let columns = it.shares.map(share => share * 1fr)
    if it.head.len() > 0 {
      table(columns: columns, table.header(..it.head.map(name => text(fill: soft, name))), ..body)
    } else {
      table(columns: columns, ..body)
    }
  },
  picture: (at, it) => figure(
    image(str(at) + ".svg", width: 100%, alt: it.alt),
    caption: text(8pt, fill: soft, it.caption), numbering: none, supplement: none, kind: image, outlined: false,
  ),
  photos: (at, it) => grid(
    columns: (1fr, 1fr, 1fr), gutter: 8pt,
    ..it.photos.enumerate().map(((place, photo)) => block(breakable: false)[
      #image(str(at) + "-" + str(place) + ".jpg", width: 100%, height: 42mm, fit: "contain", alt: photo.caption)
      #text(8pt, fill: soft, photo.caption)
    ]),
  ),
  code: (at, it) => block(breakable: false, above: 12pt, grid(
    columns: (30mm, 1fr), gutter: 8pt,
    image(str(at) + ".svg", width: 30mm, alt: "The hashes as a code for a camera"),
    { set text(7pt, fill: soft); it.lines.map(line => par(line)).join() },
  )),
  small: (at, it) => par(text(8pt, fill: soft, it.text)),
)

#heading(level: 1, doc.title)
#v(-4pt)
#grid(columns: (1fr, auto), doc.shop, text(fill: soft, doc.job))
#line(length: 100%, stroke: 1pt + ink)

#for (at, it) in doc.blocks.enumerate() { (blocks.at(it.kind))(at, it) }
