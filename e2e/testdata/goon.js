// Goes on with a copy in mupdf: adds a text and an ellipse, and moves the box.
//   mutool run goon.js MOVABLE.pdf DONE.pdf
var doc = new PDFDocument(scriptArgs[0]);
var page = doc.loadPage(0);
var text = page.createAnnotation('FreeText');
text.setRect([124, 330, 260, 352]);
text.setContents('3.4 m');
text.setDefaultAppearance('Helv', 12, [0.1, 0.2, 0.6]);
text.update();
var ring = page.createAnnotation('Circle');
ring.setColor([0.5, 0, 0.5]);
ring.setBorder(1.5);
ring.setRect([300, 700, 380, 750]);
ring.update();
page.getAnnotations().forEach(function (a) {
  if (a.getType() !== 'Square') return;
  var r = a.getRect();
  a.setRect([r[0] + 30, r[1] + 20, r[2] + 30, r[3] + 20]);
  a.update();
});
doc.save(scriptArgs[1], '');
