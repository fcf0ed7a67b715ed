#include "sheet/sheet.h"

#include "exchange/files.h"
#include "inspect/state.h"
#include "scene/scene.h"
#include "sheet/fonts.h"
#include "sheet/paper.h"

#include <QCoreApplication>
#include <QImage>
#include <QPdfWriter>

#include <cmath>
#include <fmt/format.h>

namespace lumsk::sheet {

namespace {

constexpr double kMarginMm = 12;
constexpr double kPixelsPerMm = 300 / 25.4;
constexpr double kRoundView = 3;                        ///< paper around the form in a picture
constexpr double kViewsTop = 17;                        ///< of the first page
constexpr double kLeft = 18, kBetween = 16, kLabel = 5; ///< beside, between and above the parallel views
constexpr double kLeastCorner = 60;                     ///< of the picture from the corner
constexpr size_t kMostJoins = 60;
constexpr unsigned kWhite = 0xFFFFFF;

struct Box {
  Vec3 low = Vec3::Constant(1e300), high = Vec3::Constant(-1e300);
  bool empty() const { return low.x() > high.x(); }
  void take(const Vec3& l, const Vec3& h) { low = low.cwiseMin(l), high = high.cwiseMax(h); }
  Vec3 size() const { return high - low; }
  Vec3 middle() const { return 0.5 * (low + high); }
};

struct MeasuredBody {
  const recipe::BodyEntry* entry;
  inspect::BodyState state;
  std::vector<inspect::Join> joins;
};

QString percent(double share) { return QString::fromStdString(formatNumber(100 * share, 3)) + " %"; }
QString words(const std::string& s) { return QString::fromStdString(s); }

/// One of the parallel views: from where, and which axes of the form lie along and up the paper.
struct Side {
  scene::ViewFrom from;
  int across, up;
};
constexpr Side kFront{scene::ViewFrom::Front, 0, 2}, kLeftSide{scene::ViewFrom::Left, 1, 2},
    kTop{scene::ViewFrom::Top, 0, 1};

class Sheet {
  Q_DECLARE_TR_FUNCTIONS(Sheet)
public:
  Sheet(const recipe::Model& model, const SheetOptions& o) : model_(model), o_(o) {}

  Expected<SheetDone> write(const std::string& path, const Context& cx) {
    measure(cx);
    if (cx.stopped()) return fail(cancelled());
    if (box_.empty())
      return fail(problem("LM-D004", "there is nothing to be seen").tryThis("make a body, or bring one into sight"));
    useOwnFonts();
    const auto pictures = draw(cx);
    if (!pictures) return fail(pictures.error());
    SheetDone done;
    done.scale = scale_.name;
    const auto written = exchange::replaceFile(path, [&](const std::string& temporary) -> Expected<void> {
      QPdfWriter pdf(words(temporary));
      pdf.setTitle(words(o_.title));
      pdf.setCreator("Lumsk");
      pdf.setResolution(1200);
      pdf.setPageLayout(layout());
      {
        Paper paper(pdf, [this](Paper& p) { footer(p); });
        firstPage(paper, *pictures);
        drawSections(paper, model_, o_.sections, {[this](double mm) { return length(mm); }, [this](double mm2) { return shown({mm2, Dimension::Area}); }}, cx);
        tables(paper);
        done.pages = paper.pages();
      }
      if (cx.stopped()) return fail(cancelled());
      return {};
    });
    if (!written) return fail(written.error());
    return done;
  }

private:
  QPageLayout layout() const {
    return QPageLayout(QPageSize(o_.letter ? QPageSize::Letter : QPageSize::A4), QPageLayout::Landscape,
                       QMarginsF(kMarginMm, kMarginMm, kMarginMm, kMarginMm), QPageLayout::Millimeter);
  }

  void measure(const Context& cx) {
    for (const auto& b : model_.bodies) {
      if (!b.visible || cx.stopped()) continue;
      bodies_.push_back({&b, inspect::stateOf(*b.body), inspect::joins(*b.body, model_.recipe->tolerances)});
      box_.take(bodies_.back().state.boxLow, bodies_.back().state.boxHigh);
    }
    if (!box_.empty()) return;
    const auto scene = scene::draw(model_, scene::Quality::Moving, nullptr); // curves alone
    if (!scene->curves.empty()) box_.take(scene->low, scene->high);
  }

  QSizeF room() const { return layout().paintRect(QPageLayout::Millimeter).size() - QSizeF(0, kViewsTop); }

  /// Where the view from the corner goes: below the side view or beside it, wherever it is larger.
  QRectF cornerBox(double paperPerMm) const {
    const Vec3 s = box_.size() * paperPerMm;
    const QSizeF r = room();
    const double beyondFront = kLeft + s.x() + kBetween, belowFront = kLabel + s.z() + kBetween;
    const QRectF below(beyondFront, belowFront, r.width() - beyondFront, r.height() - belowFront);
    const double beyondSide = beyondFront + s.y() + 8;
    const QRectF beside(beyondSide, kLabel, r.width() - beyondSide, r.height() - kLabel);
    const auto side = [](const QRectF& b) { return std::min(b.width(), b.height()); };
    return (side(below) > side(beside) ? below : beside).translated(0, kViewsTop);
  }

  bool fits(double paperPerMm) const {
    const Vec3 s = box_.size() * paperPerMm;
    const QRectF corner = cornerBox(paperPerMm);
    return kLeft + s.x() + kBetween + s.y() <= room().width() &&
           kLabel + s.z() + kBetween + s.y() + kRoundView <= room().height() &&
           std::min(corner.width(), corner.height()) >= kLeastCorner;
  }

  Expected<std::vector<QImage>> draw(const Context& cx) {
    const Vec3 s = box_.size();
    scale_ = largestScale([this](double f) { return fits(f); });
    const QRectF cornerAt = cornerBox(scale_.paperPerMm);
    std::vector<scene::PictureOptions> wanted;
    scene::PictureOptions plain;
    plain.ground = scene::Ground{kWhite, kWhite};
    plain.finish = o_.finish;
    plain.bodiesOnly = !bodies_.empty();
    for (const Side& side : {kFront, kLeftSide, kTop}) {
      scene::PictureOptions p = plain;
      p.from = side.from;
      p.perspective = false;
      const auto pixels = [&](int axis) {
        return std::max(16, int(std::lround((s[axis] * scale_.paperPerMm + 2 * kRoundView) * kPixelsPerMm)));
      };
      p.width = pixels(side.across);
      p.height = pixels(side.up);
      p.toScale = {box_.middle(), 1 / (kPixelsPerMm * scale_.paperPerMm)};
      wanted.push_back(p);
    }
    scene::PictureOptions corner = plain;
    corner.lens = o_.lens;
    corner.width = int(cornerAt.width() * kPixelsPerMm);
    corner.height = int(cornerAt.height() * kPixelsPerMm);
    wanted.push_back(corner);
    auto drawn = scene::drawPictures(model_, wanted, cx);
    if (!drawn) return fail(drawn.error());
    std::vector<QImage> out;
    for (const scene::Pixels& p : *drawn)
      out.push_back(onPaper(QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy()));
    return out;
  }

  /// The ground, which the display makes nearly white, as the paper is.
  static QImage onPaper(QImage image) {
    constexpr int kNearly = 252;
    for (int y = 0; y < image.height(); ++y)
      for (int x = 0; x < image.width(); ++x)
        if (const QRgb p = image.pixel(x, y); std::min({qRed(p), qGreen(p), qBlue(p)}) >= kNearly)
          image.setPixel(x, y, qRgb(255, 255, 255));
    return image;
  }

  QString shown(const Quantity& q) const { return words(o_.shown(q)); }
  QString bare(double mm) const { return length(mm).section(' ', 0, 0); } ///< without its unit
  QString length(double mm) const { return shown(millimetres(mm)); }

  void footer(Paper& p) const {
    p.text({0, p.height() + 1.5, p.width(), 4}, tr("page %1").arg(p.pages()), 7, Qt::AlignRight, false,
           Paper::Tone::Soft);
    p.text({0, p.height() + 1.5, p.width(), 4}, words(o_.title), 7, Qt::AlignLeft, false, Paper::Tone::Soft);
  }

  /// A view with its label; returns where the box of the form lies on the paper.
  QRectF view(Paper& p, QPointF at, const Side& side, const QImage& image, const QString& label) const {
    const QSizeF size = QSizeF(box_.size()[side.across], box_.size()[side.up]) * scale_.paperPerMm;
    const QRectF box(at, size);
    const QSizeF whole = QSizeF(image.width(), image.height()) / kPixelsPerMm;
    p.image({box.center() - QPointF(whole.width(), whole.height()) / 2, whole}, image);
    p.text({at.x() - 2, at.y() - kLabel, 60, 4}, label, 7, Qt::AlignLeft, false, Paper::Tone::Soft);
    return box;
  }

  void firstPage(Paper& p, const std::vector<QImage>& pictures) const {
    p.text({0, 0, p.width(), 8}, words(o_.title), 16, Qt::AlignLeft, true);
    p.text({0, 0, p.width(), 8}, words(o_.when), 9, Qt::AlignRight, false, Paper::Tone::Soft);
    p.text({0, 8, p.width(), 5},
           tr("Box %1 × %2 × %3, views at %4")
               .arg(bare(box_.size().x()), bare(box_.size().y()), length(box_.size().z()), words(scale_.name)),
           9);
    p.line({0, 14.5}, {p.width(), 14.5});
    const Vec3 s = box_.size() * scale_.paperPerMm;
    const QPointF corner(kLeft, kViewsTop + kLabel);
    const QRectF front = view(p, corner, kFront, pictures[0], tr("from the front"));
    const QRectF left = view(p, corner + QPointF(s.x() + kBetween, 0), kLeftSide, pictures[1], tr("from the left"));
    const QRectF top = view(p, corner + QPointF(0, s.z() + kBetween), kTop, pictures[2], tr("from the top"));
    p.dimension(front.bottomLeft() + QPointF(-6, 0), front.topLeft() + QPointF(-6, 0), length(box_.size().z()));
    p.dimension(front.bottomLeft() + QPointF(0, 9), front.bottomRight() + QPointF(0, 9), length(box_.size().x()));
    p.dimension(left.bottomLeft() + QPointF(0, 9), left.bottomRight() + QPointF(0, 9), length(box_.size().y()));
    p.dimension(top.bottomLeft() + QPointF(-6, 0), top.topLeft() + QPointF(-6, 0), length(box_.size().y()));
    QStringList lenses;
    for (const auto& k : scene::lenses())
      if (scene::isOn(o_.lens, k->key())) lenses << QCoreApplication::translate("core", k->label().c_str());
    const QRectF cornerAt = cornerBox(scale_.paperPerMm);
    p.text({cornerAt.x(), cornerAt.y() - kLabel, cornerAt.width(), 4},
           lenses.isEmpty() ? tr("from the corner") : tr("from the corner: %1").arg(lenses.join(", ")), 7,
           Qt::AlignLeft, false, Paper::Tone::Soft);
    p.image(cornerAt, pictures[3]);
    p.setY(p.height());
  }

  void tables(Paper& p) const {
    const auto size = [&](const Vec3& v) { return bare(v.x()) + " × " + bare(v.y()) + " × " + length(v.z()); };
    p.heading(tr("Bodies"));
    std::vector<QStringList> rows;
    for (const MeasuredBody& b : bodies_) {
      const auto j = inspect::summarise(b.joins);
      QString state = b.state.solid ? tr("solid") : tr("skin, open edges: %1").arg(b.state.openEdges);
      if (!b.state.valid) state += tr(", not valid");
      if (b.entry->stale) state += tr(", stale");
      rows.push_back({words(b.entry->label), state, QString::number(b.state.faces),
                      size(b.state.boxHigh - b.state.boxLow),
                      b.state.solid ? shown({b.state.volumeMm3, Dimension::Volume}) : QString("-"),
                      shown({b.state.areaMm2, Dimension::Area}), length(j.gapMm), shown(degrees(j.angleDeg)),
                      percent(j.curvatureRel)});
    }
    if (rows.empty())
      p.paragraph(tr("There is no body in sight."), Paper::Tone::Soft);
    else
      p.table({{tr("Body"), 3},
               {tr("State"), 3},
               {tr("Faces"), 1, true},
               {tr("Box"), 5, true},
               {tr("Volume"), 2, true},
               {tr("Area"), 2, true},
               {tr("Worst gap"), 2, true},
               {tr("Angle"), 1.6, true},
               {tr("Curvature"), 1.6, true}},
              rows);
    if (o_.joins) joins(p);
    measurements(p);
    failures(p);
  }

  void joins(Paper& p) const {
    const Tolerances& tol = model_.recipe->tolerances;
    std::vector<std::pair<const MeasuredBody*, const inspect::Join*>> all;
    for (const MeasuredBody& b : bodies_)
      for (const auto& j : b.joins) all.emplace_back(&b, &j);
    if (all.empty()) return;
    std::stable_sort(all.begin(), all.end(),
                     [&](const auto& a, const auto& b) { return a.second->badness(tol) > b.second->badness(tol); });
    const auto missed = std::count_if(all.begin(), all.end(), [&](const auto& x) {
      return x.second->gapMm > tol.point.mm || (x.second->meantSmooth && x.second->angleDeg > tol.angle.deg);
    });
    p.heading(tr("Joins, worst first"));
    p.paragraph(tr("Edges where faces meet: %1. Not as meant: %2. Tolerances: gap %3, angle %4, curvature %5.")
                    .arg(all.size())
                    .arg(missed)
                    .arg(length(tol.point.mm), shown(degrees(tol.angle.deg)), percent(tol.curvature.relative)));
    std::vector<QStringList> rows;
    for (size_t i = 0; i < std::min(all.size(), kMostJoins); ++i) {
      const auto& [b, j] = all[i];
      const Vec3 at = j->worstAt(tol);
      const bool bent = j->angleDeg > tol.angle.deg;
      rows.push_back({words(j->achieved(tol)), words(b->entry->label), !j->askedFor().empty() ? words(j->askedFor()) : j->meantSmooth ? tr("smooth") : tr("edge"),
                      length(j->gapMm), shown(degrees(j->angleDeg)), bent ? QString("-") : percent(j->curvatureRel),
                      bare(at.x()) + ", " + bare(at.y()) + ", " + length(at.z())});
    }
    p.table({{tr("Join"), 1},
             {tr("Body"), 3},
             {tr("Meant"), 1.5},
             {tr("Gap"), 2, true},
             {tr("Angle"), 2, true},
             {tr("Curvature"), 2, true},
             {tr("Worst at"), 5, true}},
            rows);
    if (all.size() > kMostJoins)
      p.paragraph(tr("Left out, being better: %1").arg(all.size() - kMostJoins), Paper::Tone::Soft);
  }

  void measurements(Paper& p) const {
    std::vector<QStringList> rows;
    for (const auto& s : model_.recipe->steps) {
      const recipe::StepResult* r = model_.result(s->id);
      if (!r->outcome || r->status != recipe::Status::Ok) continue;
      for (const auto& [name, q] : r->outcome->measured)
        if (!o_.measured || o_.measured->count(name)) rows.push_back({words(name), shown(q), words(s->label)});
    }
    if (rows.empty()) return;
    p.heading(tr("Measured"));
    p.table({{tr("Name"), 2}, {tr("Value"), 2, true}, {tr("By step"), 6}}, rows);
  }

  void failures(Paper& p) const {
    std::vector<QString> lines;
    for (const auto& s : model_.recipe->steps) {
      const recipe::StepResult* r = model_.result(s->id);
      if (r->status == recipe::Status::Failed && r->problem)
        lines.push_back(words(s->label + ": " + sentence(*r->problem)));
      if (r->status == recipe::Status::Stale)
        lines.push_back(tr("%1: waits for a step that failed").arg(words(s->label)));
    }
    if (lines.empty()) return;
    p.heading(tr("Not computed"));
    for (const QString& l : lines) p.paragraph(l, Paper::Tone::Bad);
  }

  const recipe::Model& model_;
  const SheetOptions& o_;
  std::vector<MeasuredBody> bodies_;
  Box box_;
  Scale scale_;
};

} // namespace

Scale largestScale(const std::function<bool(double)>& fits) {
  for (int power = 3; power >= -3; --power)
    for (int n : {5, 2, 1}) {
      // Enlarging n*10^p : 1; reducing 1 : m, m being 2, 5 or 10 for 5, 2 and 1 of the power below one.
      const double f = n * std::pow(10.0, power);
      if (f > 1000 || f < 0.001 - 1e-12) continue;
      if (!fits(f) && f > 0.001 + 1e-12) continue;
      return {f, f >= 1 ? fmt::format("{}:1", std::lround(f)) : fmt::format("1:{}", std::lround(1 / f))};
    }
  return {0.001, "1:1000"};
}

Expected<SheetDone> writeSheet(const recipe::Model& model, const std::string& path, const SheetOptions& options,
                               const Context& cx) {
  haveGui();
  return Sheet(model, options).write(path, cx);
}

} // namespace lumsk::sheet
