// Stands in for a third party's widget: a box that comes a moment after the page.
setTimeout(function () {
  var box = document.createElement('aside');
  box.className = 'fare-alert';
  box.innerHTML = '<h2>Fare alert</h2><p>Cheaper crossings on Tuesdays.</p><button type="button">Tell me</button>';
  document.body.appendChild(box);
}, 400);
