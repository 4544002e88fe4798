// From screens/returns/static/common/js/figures.js, where nothing lies, to screens/common/static/common/js/figures.js.

const BESIDE = /screens\/\w+\/static\/(\w+)\//;

export async function resolve(specifier, context, next) {
  if (!specifier.startsWith(".")) return next(specifier, context);
  const url = new URL(specifier, context.parentURL).href.replace(BESIDE, "screens/$1/static/$1/");
  return next(url, context);
}
