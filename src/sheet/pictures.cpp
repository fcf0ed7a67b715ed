#include "sheet/pictures.h"

#include "exchange/files.h"
#include "scene/scene.h"
#include "sheet/fonts.h"

#include <QBuffer>
#include <QCoreApplication>
#include <QFileInfo>
#include <QImage>
#include <QImageWriter>
#include <QPainter>
#include <QPdfWriter>

#include <cmath>
#include <filesystem>
#include <fmt/format.h>

namespace lumsk::sheet {

namespace {

constexpr double kFill = 0.86;    ///< of a view's room, by the form
constexpr int kLabelShare = 22;   ///< a view's height over that of its label
constexpr double kPageMm = 277.0; ///< width of a page as PDF: that of A4 less its margins

QImage imageOf(const scene::Pixels& p) {
  if (p.alpha.empty()) return QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy();
  QImage image(p.width, p.height, QImage::Format_ARGB32);
  for (int y = 0; y < p.height; ++y) {
    auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
    for (int x = 0; x < p.width; ++x) {
      const size_t k = size_t(y) * size_t(p.width) + size_t(x);
      line[x] = qRgba(p.rgb[3 * k], p.rgb[3 * k + 1], p.rgb[3 * k + 2], p.alpha[k]);
    }
  }
  return image;
}

std::string endingOf(const std::string& path) { return exchange::extensionOf(path).substr(exchange::extensionOf(path).empty() ? 0 : 1); }

Expected<void> save(const QImage& image, const std::string& path) {
  return exchange::replaceFile(path, [&](const std::string& temporary) -> Expected<void> {
    if (endingOf(path) == "pdf") {
      QPdfWriter pdf(QString::fromStdString(temporary));
      pdf.setCreator("Lumsk");
      const double tall = kPageMm * image.height() / image.width();
      pdf.setPageLayout({QPageSize(QSizeF(kPageMm, tall), QPageSize::Millimeter, {}, QPageSize::ExactMatch), QPageLayout::Portrait, {}});
      QPainter painter(&pdf);
      painter.drawImage(QRectF(0, 0, pdf.width(), pdf.height()), image);
      return {};
    }
    QImageWriter writer(QString::fromStdString(temporary), QByteArray::fromStdString(endingOf(path)));
    if (writer.write(image)) return {};
    return fail(problem("LM-F022", "the picture cannot be written: " + writer.errorString().toLower().toStdString()).tryThis("use .png and a folder you may write to"));
  });
}

Expected<void> sensible(const std::string& path, const PictureJob& job) {
  const auto wrong = [](const std::string& what, const std::string& remedy) { return fail(problem("LM-D006", what).tryThis(remedy)); };
  if (job.frames != 0 && !job.views.empty()) return wrong("a turntable and several views cannot be in one", "choose one of them");
  if (job.frames != 0 && (job.frames < kFewestFrames || job.frames > kMostFrames))
    return wrong(fmt::format("a turntable has from {} to {} pictures", kFewestFrames, kMostFrames), "take as many");
  if (std::min(job.seen.width, job.seen.height) < 16 || std::max(job.seen.width, job.seen.height) > kMostPixels)
    return wrong(fmt::format("a picture has from 16 to {} pixels a side", kMostPixels), "take another size");
  const std::string ending = endingOf(path);
  if (job.seen.clear && ending != "png" && ending != "webp" && ending != "tiff" && ending != "tif")
    return fail(problem("LM-D005", "'." + ending + "' files cannot be transparent").tryThis("use .png"));
  if (ending == "pdf" && job.views.empty()) return wrong("only several views on a page are written as PDF", "use .png");
  return {};
}

struct Grid {
  int across, down;
  explicit Grid(size_t n) : across(int(std::ceil(std::sqrt(double(n))))), down(int(std::ceil(double(n) / across))) {}
};

/// Axes that lie across and up a parallel view.
std::pair<int, int> axesOf(scene::ViewFrom from) {
  switch (from) {
  case scene::ViewFrom::Front:
  case scene::ViewFrom::Back: return {0, 2};
  case scene::ViewFrom::Left:
  case scene::ViewFrom::Right: return {1, 2};
  default: return {0, 1};
  }
}

/// One picture a view, the parallel ones to the largest scale at which all of them fit.
std::vector<scene::PictureOptions> viewsOf(const recipe::Model& model, const PictureJob& job) {
  const auto scene = scene::draw(model, scene::Quality::Moving, nullptr);
  const Vec3 size = scene->high - scene->low;
  double mmPerPixel = 1e-9;
  for (const scene::ViewFrom from : job.views) {
    const auto [across, up] = axesOf(from);
    if (from != scene::ViewFrom::Corner) mmPerPixel = std::max({mmPerPixel, size[across] / (kFill * job.seen.width), size[up] / (kFill * job.seen.height)});
  }
  std::vector<scene::PictureOptions> out;
  for (const scene::ViewFrom from : job.views) {
    scene::PictureOptions o = job.seen;
    o.pose.reset();
    o.from = from;
    o.clear = true; // the page's ground is theirs
    if (from != scene::ViewFrom::Corner) {
      o.perspective = false;
      o.toScale = scene::PictureOptions::ToScale{0.5 * (scene->low + scene->high), mmPerPixel};
    }
    out.push_back(o);
  }
  return out;
}

/// Views beside and below one another, each with its name.
class Page {
public:
  explicit Page(const PictureJob& job)
      : job_(job), grid_(job.views.size()), label_(std::max(14, job.seen.height / kLabelShare)),
        image_(grid_.across * job.seen.width, grid_.down * (job.seen.height + label_), job.seen.clear ? QImage::Format_ARGB32 : QImage::Format_RGB32) {
    image_.fill(job.seen.clear ? Qt::transparent : job.seen.ground ? QColor(QRgb(job.seen.ground->bottom)) : Qt::white);
  }
  void put(size_t k, const QImage& view) {
    const QPoint at(int(k) % grid_.across * job_.seen.width, int(k) / grid_.across * (job_.seen.height + label_));
    QPainter painter(&image_);
    painter.drawImage(at, view);
    QFont font("Inter");
    font.setPixelSize(std::max(9, label_ * 6 / 10));
    painter.setFont(font);
    painter.setPen(QColor(QRgb(job_.seen.ground ? job_.seen.ground->ink : scene::Ground().ink)));
    painter.drawText(QRect(at.x(), at.y() + job_.seen.height, job_.seen.width, label_), Qt::AlignCenter, QCoreApplication::translate("core", nameOf(job_.views[k])));
  }
  const QImage& image() const { return image_; }

private:
  const PictureJob& job_;
  Grid grid_;
  int label_;
  QImage image_;
};

} // namespace

Expected<PicturesDone> writePictures(const recipe::Model& model, const std::string& path, const PictureJob& job, const Context& cx) {
  LUMSK_CHECK(sensible(path, job));
  PicturesDone done;
  std::vector<scene::PictureOptions> wanted{job.seen};
  std::optional<Page> page;
  if (!job.views.empty()) {
    haveGui();
    useOwnFonts();
    if (Grid g(job.views.size()); g.across * job.seen.width > 2 * kMostPixels || g.down * job.seen.height > 2 * kMostPixels)
      return fail(problem("LM-D006", "the page is too large").tryThis("take smaller or fewer views"));
    page.emplace(job);
    wanted = viewsOf(model, job);
  }
  if (job.frames > 0) {
    wanted.clear();
    for (int k = 0; k < job.frames; ++k) {
      scene::PictureOptions o = job.seen;
      o.turn = scene::PictureOptions::Turn{360.0 * k / job.frames};
      wanted.push_back(o);
    }
  }
  const std::filesystem::path whole(path);
  const std::string stem = (whole.parent_path() / whole.stem()).string();
  const auto keep = [&](const QImage& image, const std::string& file) -> Expected<void> {
    LUMSK_CHECK(save(image, file));
    done.files.push_back(file);
    done.width = image.width(), done.height = image.height();
    return {};
  };
  auto drawn = scene::drawEach(model, wanted, cx, [&](size_t k, scene::Pixels&& pixels) -> Expected<void> {
    cx.report(double(k + 1) / double(wanted.size()), "drawing");
    const QImage image = imageOf(pixels);
    if (!page) return keep(image, job.frames > 0 ? fmt::format("{}-{:03d}{}", stem, k + 1, whole.extension().string()) : path);
    page->put(k, image);
    return {};
  });
  if (drawn && page) drawn = keep(page->image(), path);
  if (drawn) return done;
  std::error_code e;
  for (const std::string& file : done.files) std::filesystem::remove(file, e);
  return fail(drawn.error());
}

} // namespace lumsk::sheet
