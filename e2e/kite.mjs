// The strokes of a hand that cuts the kite of the dunes out, one after the other: what each says, which place of
// the photo is in the middle meanwhile, at 1:1, and where it goes.
const line = (text) => text.split(" ").map((place) => place.split(",").map(Number));
// To and fro from a root into each feather, and from without into what is between them.
const fan = (root, tips) => line(tips).flatMap((tip) => [...line(root), tip]);
const gaps = (outer, inner) => line(outer).flatMap((at, i) => [at, line(inner)[i], at]);

const kite = [
  {
    says: "in",
    look: [2500, 860],
    points: line("2130,720 2280,740 2420,800 2505,860 2600,820 2740,780 2880,745"),
  },
  {
    says: "out",
    look: [2500, 860],
    points: line(
      "2330,1130 2320,1060 2380,980 2250,925 2110,900 2060,850 2010,770 2010,690 2030,640 2100,640 2240,670 2340,700 2365,690",
    ),
  },
  {
    says: "out",
    look: [2500, 860],
    points: line("2900,960 2700,970 2580,985 2600,1050 2640,1090 2620,1140"),
  },
  {
    says: "out",
    look: [2500, 800],
    points: [
      ...gaps(
        "2394,650 2419,614 2460,588 2511,580 2559,592 2597,620 2625,655 2640,695",
        "2433,688 2459,681 2482,675 2506,670 2529,677 2551,686 2570,700 2585,719",
      ),
      ...line("2640,735 2800,690 2930,690"),
    ],
  },
  {
    says: "in",
    look: [2500, 980],
    points: fan(
      "2500,970",
      "2356,1077 2374,1107 2402,1130 2433,1150 2470,1160 2490,1200 2542,1135 2573,1115 2597,1092",
    ),
  },
  {
    says: "in",
    look: [2500, 800],
    points: fan(
      "2505,770",
      "2384,735 2383,708 2396,678 2418,649 2448,624 2488,606 2531,609 2568,631 2596,659 2611,691 2622,723 2620,750",
    ),
  },
  {
    says: "in",
    look: [2300, 760],
    points: fan("2120,702", "2048,662 2034,688 2034,713 2028,739 2031,768 2041,795 2066,814"),
  },
  {
    says: "in",
    look: [2600, 760],
    points: fan("2900,745", "2988,716 2994,741 2994,769 2990,795 2966,850 2940,870"),
  },
];

// cutKite draws them with a brush as thin as feathers are, by hands that draw one and say what it means.
export async function cutKite(page, says, draw) {
  for (const [i, { look, points, ...stroke }] of kite.entries()) {
    if (i > 0) await says(stroke.says);
    await page.evaluate(async ([x, y]) => (await import("/static/js/view.js")).lookAt(x, y), look);
    await draw(points);
    if (i > 0) continue;
    await page.locator('[data-for-hand="scribble"] input.form-control').first().fill("6");
    await page.keyboard.press("Enter");
  }
}
