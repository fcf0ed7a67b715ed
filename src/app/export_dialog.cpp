#include "app/export_dialog.h"
#include "app/words.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QPushButton>

namespace lumsk::app {

namespace {

constexpr int kTextWidth = 320;

} // namespace

ExportDialog::ExportDialog(Workspace& w, QWidget* parent)
    : QDialog(parent), w_(w), format_(named(new QComboBox, "export-format")),
      chord_(named(new QLineEdit("0.05"), "export-chord", tr("largest distance of the mesh from the surface"))),
      angle_(named(new QLineEdit("10"), "export-angle", tr("largest turn between neighbouring triangles"))),
      scale_(named(new QLineEdit("1"), "export-scale", tr("millimetres on paper for one of the form: 1/2 halves it"))),
      triangles_(named(new QLabel, "export-triangles")), lost_(named(new QLabel, "export-lost")),
      from_(named(new QComboBox, "export-from", tr("the side that it is seen from"))),
      curves_(named(new QCheckBox(tr("The curves that are seen, too")), "export-curves", tr("each with the name of its row, where the file has names"))),
      each_(named(new QCheckBox(tr("Each part as a file of its own")), "export-each", tr("the part's name stands behind that of the file"))),
      outlines_(named(new QCheckBox(tr("Outlines of bodies")), "export-outlines", tr("edges, and where faces turn out of sight"))),
      hidden_(named(new QCheckBox(tr("Hidden lines, dashed")), "export-hidden", tr("those behind something"))), mesh_(meshFields()),
      paper_(paperFields()) {
  setWindowTitle(tr("Export"));
  setObjectName("export-dialog");
  auto* l = new QVBoxLayout(this);
  l->setSizeConstraint(QLayout::SetFixedSize);
  for (const exchange::Format& f : exchange::formats()) format_->addItem(said(f.words));
  l->addWidget(format_);
  l->addWidget(mesh_);
  curves_->setChecked(w.model()->bodies.empty());
  l->addWidget(curves_);
  l->addWidget(each_);
  l->addWidget(paper_);
  lost_->setWordWrap(true);
  lost_->setFixedWidth(kTextWidth);
  l->addWidget(lost_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Choose the file"));
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(format_, &QComboBox::currentIndexChanged, this, &ExportDialog::follow);
  connect(curves_, &QCheckBox::toggled, this, &ExportDialog::follow);
  connect(outlines_, &QCheckBox::toggled, this, &ExportDialog::follow);
  connect(chord_, &QLineEdit::editingFinished, this, &ExportDialog::count);
  connect(angle_, &QLineEdit::editingFinished, this, &ExportDialog::count);
  follow();
}

QWidget* ExportDialog::meshFields() {
  auto* fields = new QWidget;
  auto* form = new QFormLayout(fields);
  form->setContentsMargins({});
  form->addRow(tr("Chord, mm"), chord_);
  form->addRow(tr("Angle, deg"), angle_);
  form->addRow(tr("Triangles"), triangles_);
  return fields;
}

QWidget* ExportDialog::paperFields() {
  auto* fields = new QWidget;
  auto* form = new QFormLayout(fields);
  form->setContentsMargins({});
  for (const std::string& view : exchange::paperViews()) from_->addItem(view == "flat" ? tr("plane of the curves") : said(view), QString::fromStdString(view));
  outlines_->setChecked(true);
  form->addRow(tr("Seen from"), from_);
  form->addRow(tr("Scale"), scale_);
  form->addRow(outlines_);
  form->addRow(hidden_);
  return fields;
}

const exchange::Format& ExportDialog::format() const {
  return exchange::formats()[size_t(std::max(0, format_->currentIndex()))];
}
QString ExportDialog::ending() const { return QString::fromStdString(format().endings.front()); }

exchange::ExportOptions ExportDialog::options() const {
  exchange::ExportOptions o;
  const auto number = [&](const QLineEdit* field, Dimension d, double least, double most, double& to) {
    if (const auto v = recipe::evaluate(field->text().toStdString(), d, w_.focus().names())) to = std::clamp(v->value, least, most);
  };
  number(chord_, Dimension::Length, 0.0005, 100, o.mesh.chordMm);
  number(angle_, Dimension::Angle, 0.1, 90, o.mesh.angleDeg);
  number(scale_, Dimension::Ratio, 1e-3, 1e3, o.view.scale);
  o.format = format().key;
  o.curves = curves_->isChecked() && format().carries.curves;
  o.view.from = from_->currentData().toString().toStdString();
  o.view.outlines = outlines_->isChecked();
  o.view.hidden = hidden_->isChecked();
  return o;
}

bool ExportDialog::each() const { return each_->isChecked() && !each_->isHidden(); }

void ExportDialog::follow() {
  const exchange::Form form = format().form;
  mesh_->setVisible(exchange::ofTriangles(form));
  paper_->setVisible(form == exchange::Form::PlaneLines);
  curves_->setVisible(format().carries.curves && form != exchange::Form::Points);
  const auto& bodies = w_.model()->bodies;
  each_->setVisible(form != exchange::Form::Points && std::count_if(bodies.begin(), bodies.end(), [](const auto& b) { return b.visible; }) > 1);
  hidden_->setEnabled(outlines_->isChecked());
  QStringList lost;
  for (const std::string& words : exchange::notCarried(*w_.model(), format(), options())) lost << said(words);
  lost_->setText(lost.isEmpty() ? tr("Such a file tells all of it") : tr("Not in such a file: %1").arg(lost.join("; ")));
  count();
}

void ExportDialog::count() {
  if (!exchange::ofTriangles(format().form)) return;
  triangles_->setText(tr("counting"));
  counting_.run<Expected<int>>(
      [model = w_.model(), f = &format(), o = options()](const Context& cx) { return exchange::countTriangles(*model, *f, o, cx); },
      [this](Expected<int> n) { triangles_->setText(n ? QString::number(*n) : said(n.error())); });
}

} // namespace lumsk::app
