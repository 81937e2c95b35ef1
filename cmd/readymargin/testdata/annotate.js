// Annotates a sheet with mupdf: mutool run annotate.js SHEET.pdf DONE.pdf
var doc = new PDFDocument(scriptArgs[0]);
var page = doc.loadPage(0);
function make(type, f) { var a = page.createAnnotation(type); f(a); a.update(); return a; }
make("Highlight", function (a) { a.setColor([1, 0.9, 0.2]); a.setQuadPoints([[100, 100, 300, 100, 100, 114, 300, 114]]); a.setContents("dangers"); });
make("Underline", function (a) { a.setColor([0.8, 0, 0]); a.setQuadPoints([[100, 130, 300, 130, 100, 144, 300, 144]]); });
make("StrikeOut", function (a) { a.setColor([0.8, 0, 0]); a.setQuadPoints([[100, 160, 300, 160, 100, 174, 300, 174]]); });
make("Squiggly", function (a) { a.setColor([0.8, 0, 0]); a.setQuadPoints([[320, 160, 450, 160, 320, 174, 450, 174]]); });
make("Ink", function (a) { a.setColor([0.1, 0.3, 0.7]); a.setBorder(2); a.setInkList([[[100, 400], [140, 420], [180, 380], [230, 430]]]); });
make("Line", function (a) { a.setColor([0, 0.5, 0]); a.setBorder(2); a.setLine([100, 450], [300, 480]); a.setLineEndingStyles("None", "OpenArrow"); });
make("Square", function (a) { a.setColor([0, 0.5, 0]); a.setBorder(1.5); a.setRect([100, 500, 200, 560]); });
make("Circle", function (a) { a.setColor([0.5, 0, 0.5]); a.setBorder(1.5); a.setRect([220, 500, 320, 560]); });
make("Polygon", function (a) { a.setColor([0.5, 0, 0.5]); a.setBorder(1.5); a.setVertices([[340, 500], [420, 520], [360, 560]]); });
make("PolyLine", function (a) { a.setColor([0.5, 0.3, 0]); a.setBorder(2); a.setVertices([[440, 500], [520, 520], [460, 560]]); });
make("FreeText", function (a) { a.setRect([100, 600, 260, 640]); a.setContents("The range is 4,5 m."); a.setDefaultAppearance("Helv", 12, [0.1, 0.2, 0.6]); a.setBorder(2); });
make("Text", function (a) { a.setRect([400, 100, 420, 120]); a.setContents("Why is this so?"); });
make("Stamp", function (a) { a.setRect([400, 600, 500, 640]); a.setIcon("Approved"); });
doc.save(scriptArgs[1], "");
