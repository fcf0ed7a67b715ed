#include "app/export_dialog.h"
#include "app/words.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QPushButton>

namespace lumsk::app {

ExportDialog::ExportDialog(Workspace& w, QWidget* parent)
    : QDialog(parent), w_(w), format_(new QComboBox), chord_(new QLineEdit("0.05")), angle_(new QLineEdit("10")),
      triangles_(new QLabel), mesh_(new QWidget), curves_(new QCheckBox(tr("The curves that are seen, too"))) {
  setWindowTitle(tr("Export"));
  setObjectName("export-dialog");
  auto* l = new QVBoxLayout(this);
  format_->setObjectName("export-format");
  for (const exchange::Format& f : exchange::formats()) format_->addItem(said(f.words));
  l->addWidget(format_);
  auto* form = new QFormLayout(mesh_);
  chord_->setObjectName("export-chord");
  angle_->setObjectName("export-angle");
  chord_->setToolTip(tr("largest distance of the mesh from the surface"));
  angle_->setToolTip(tr("largest turn between neighbouring triangles"));
  form->addRow(tr("Chord, mm"), chord_);
  form->addRow(tr("Angle, deg"), angle_);
  triangles_->setObjectName("export-triangles");
  form->addRow(tr("Triangles"), triangles_);
  l->addWidget(mesh_);
  curves_->setObjectName("export-curves");
  curves_->setToolTip(tr("each as a wire with the name of its row"));
  curves_->setChecked(w.model()->bodies.empty());
  l->addWidget(curves_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Choose the file"));
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(format_, &QComboBox::currentIndexChanged, this, &ExportDialog::count);
  connect(chord_, &QLineEdit::editingFinished, this, &ExportDialog::count);
  connect(angle_, &QLineEdit::editingFinished, this, &ExportDialog::count);
  count();
}

const exchange::Format& ExportDialog::format() const {
  return exchange::formats()[size_t(std::max(0, format_->currentIndex()))];
}
QString ExportDialog::ending() const { return QString::fromStdString(format().endings.front()); }

exchange::ExportOptions ExportDialog::options() const {
  exchange::ExportOptions o;
  if (const auto c = recipe::evaluate(chord_->text().toStdString(), Dimension::Length, w_.focus().names()))
    o.mesh.chordMm = std::clamp(c->value, 0.0005, 100.0);
  if (const auto a = recipe::evaluate(angle_->text().toStdString(), Dimension::Angle, w_.focus().names()))
    o.mesh.angleDeg = std::clamp(a->value, 0.1, 90.0);
  o.curves = curves_->isChecked() && format().curves;
  return o;
}

void ExportDialog::count() {
  mesh_->setVisible(format().triangles);
  curves_->setVisible(format().curves);
  if (!format().triangles) return;
  triangles_->setText(tr("counting"));
  counting_.run<Expected<int>>(
      [model = w_.model(), o = options()](const Context& cx) { return exchange::countTriangles(*model, o, cx); },
      [this](Expected<int> n) { triangles_->setText(n ? QString::number(*n) : said(n.error())); });
}

} // namespace lumsk::app
