-- An order's source is who sent the buyer to the funnel of the page that sold, as that funnel's own figures say.
UPDATE orders SET source_id = coalesce((
  SELECT v.source_id
  FROM pages p JOIN steps s ON s.id = p.step_id JOIN visitors v ON v.funnel_id = s.funnel_id
  WHERE p.id = orders.page_id AND v.visitor = orders.visitor), source_id)
WHERE page_id IS NOT NULL AND source_id IS NOT NULL;
