#include "cli/send.h"

#include "exchange/files.h"
#include "exchange/project.h"
#include "recipe/evaluator.h"
#include "steps/registry.h"

#include <fmt/format.h>
#include <iostream>
#include <nlohmann/json.hpp>

namespace lumsk::cli {

using nlohmann::json;

namespace {

/// A layer as a drawing in mm, y upwards as on the bed.
std::string layerSvg(const exchange::BureauLayer& layer) {
  Eigen::Vector2d low = Eigen::Vector2d::Constant(1e9), high = -low;
  const auto shape = [&](const exchange::BureauLayer::Loops& loops, const char* colour) {
    std::string d;
    for (const auto& loop : loops) {
      for (size_t k = 0; k < loop.size(); ++k) {
        low = low.cwiseMin(loop[k]), high = high.cwiseMax(loop[k]);
        d += fmt::format("{}{:.3f} {:.3f}", k == 0 ? 'M' : 'L', loop[k].x(), -loop[k].y());
      }
      d += "Z";
    }
    return d.empty() ? d : fmt::format("<path fill='{}' fill-rule='evenodd' d='{}'/>\n", colour, d);
  };
  const std::string all = shape(layer.support, "#d9d3c4") + shape(layer.solid, "#5b6b70") + shape(layer.hanging, "#c08a1e") + shape(layer.thin, "#d9583b");
  if (!(low.x() <= high.x())) low = high = Eigen::Vector2d::Zero();
  const Eigen::Vector2d size = high - low + Eigen::Vector2d(2, 2);
  return fmt::format("<svg xmlns='http://www.w3.org/2000/svg' width='{0:.3f}mm' height='{1:.3f}mm' viewBox='{2:.3f} {3:.3f} {0:.3f} {1:.3f}'>\n<title>layer at z {4:.3f} mm</title>\n{5}</svg>\n",
                     size.x(), size.y(), low.x() - 1, -high.y() - 1, layer.zMm, all);
}

void tell(const exchange::BureauTerms& terms, const exchange::BureauAnswer& a, int copies) {
  for (const std::string& l : a.leftOut) std::cerr << "not sent: " << l << '\n';
  if (a.accepted) {
    std::cout << fmt::format("{} accepts: {:.2f} EUR for {}, {:.1f} g and {:.1f} g of supports each, {:.1f} h each, {} layers\n", terms.name, a.eur, copies, a.grams, a.supportGrams, a.hours, a.layers);
    return;
  }
  std::cout << terms.name << " refuses:\n";
  for (const auto& r : a.reasons)
    std::cout << "  " << (r.part.empty() ? "" : r.part + ": ") << r.what << (r.at ? fmt::format(", at {:.2f} {:.2f} {:.2f}", r.at->x(), r.at->y(), r.at->z()) : "") << '\n';
}

json asJson(const exchange::BureauAnswer& a) {
  json reasons = json::array();
  for (const auto& r : a.reasons) {
    json one{{"what", r.what}};
    if (!r.part.empty()) one["part"] = r.part;
    if (r.at) one["at_mm"] = {r.at->x(), r.at->y(), r.at->z()};
    reasons.push_back(one);
  }
  json out{{"accepted", a.accepted}, {"layers", a.layers}, {"not_sent", a.leftOut}};
  if (a.accepted)
    out.update({{"eur", a.eur}, {"hours", a.hours}, {"grams", a.grams}, {"support_grams", a.supportGrams}, {"volume_mm3", a.volumeMm3}, {"hanging_mm2", a.hangingMm2}});
  else
    out["reasons"] = reasons;
  return out;
}

} // namespace

Expected<bool> send(const SendArguments& a) {
  LUMSK_TRY(project, exchange::readProject(a.file, exchange::Kept::Leave));
  Context cx;
  cx.tolerances = project.recipe.tolerances;
  std::unique_ptr<exchange::OwnBureau> own;
  std::string socket = a.bureau;
  if (socket.empty()) {
    const auto& manners = exchange::bureauManners();
    const auto manner = std::find_if(manners.begin(), manners.end(), [&](const auto& m) { return m.first == a.manner; });
    LUMSK_TRY(started, exchange::OwnBureau::start(manner == manners.end() ? exchange::BureauManner::Usual : manner->second));
    own = std::move(started);
    socket = own->socket();
  }
  LUMSK_TRY(terms, exchange::bureauTerms(socket, cx));
  exchange::BureauWish wish = a.wish;
  if (wish.material.empty()) wish.material = terms.materials.front().key;
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project.recipe), {});
  LUMSK_TRY(answer, exchange::askBureau(socket, *model, wish, a.options, cx));
  if (!a.layers.empty() && answer.layers > 0) {
    LUMSK_TRY(layer, exchange::bureauLayer(socket, answer.order, a.layer < 0 ? answer.layers / 2 : a.layer, cx));
    LUMSK_CHECK(exchange::replaceFile(a.layers, layerSvg(layer)));
  }
  if (a.asJson)
    std::cout << asJson(answer).dump(2, ' ', false, json::error_handler_t::replace) << '\n';
  else
    tell(terms, answer, wish.copies);
  return answer.accepted;
}

} // namespace lumsk::cli
