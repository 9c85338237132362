// Lays outlines with Debian's libnest2d, to measure our own plates against: numbers in, numbers out.
// In: width depth spacing seconds, then of each outline how many corners and their x y, in mm.
// Out: bins, seconds taken, and the share of the bins that is covered.
#include <iostream>
#include <libnest2d/libnest2d.hpp>
#include <chrono>
#include <cstdio>
#include <vector>

using namespace libnest2d;

int main() {
  const double unit = 1e6;  // its coordinates are whole numbers
  double width, depth, spacing, seconds;
  if (std::scanf("%lf %lf %lf %lf", &width, &depth, &spacing, &seconds) != 4) return 1;
  std::vector<Item> items;
  double area = 0;
  for (int n; std::scanf("%d", &n) == 1;) {
    ClipperLib::Path path;
    double twice = 0, x0 = 0, y0 = 0, px = 0, py = 0;
    for (int i = 0; i < n; i++) {
      double x, y;
      if (std::scanf("%lf %lf", &x, &y) != 2) return 1;
      path.emplace_back(ClipperLib::cInt(x * unit), ClipperLib::cInt(y * unit));
      if (i == 0) x0 = x, y0 = y; else twice += px * y - x * py;
      px = x, py = y;
    }
    twice += px * y0 - x0 * py;
    area += std::abs(twice) / 2;
    if (twice < 0) std::reverse(path.begin(), path.end());
    path.push_back(path.front());
    items.emplace_back(path);
  }
  auto begin = std::chrono::steady_clock::now();
  auto since = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(); };
  NestConfig<> config;
  config.placer_config.alignment = NestConfig<>::Placement::Alignment::BOTTOM_LEFT;
  config.placer_config.starting_point = NestConfig<>::Placement::Alignment::BOTTOM_LEFT;
  NestControl control;
  control.stopcond = [&] { return seconds > 0 && since() > seconds; };
  size_t bins = nest(items, Box(width * unit, depth * unit), Coord(spacing * unit), config, control);
  int left = 0;
  for (auto &item : items) left += item.binId() == BIN_ID_UNSET;
  std::printf("%zu %.3f %.1f %d\n", bins, since(), 100 * area / (width * depth * bins), left);
}
