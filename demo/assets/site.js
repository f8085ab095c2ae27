// The template's script: the masthead changes once the page is scrolled, and the hero shows one slide after the other.
(function () {
  var masthead = document.querySelector('.masthead');
  addEventListener('scroll', function () {
    if (masthead) masthead.classList.toggle('is-stuck', scrollY > 40);
  });
  var slides = document.querySelectorAll('.hero .slide');
  var shown = 0;
  if (slides.length > 1) {
    setInterval(function () {
      slides[shown].style.display = 'none';
      shown = (shown + 1) % slides.length;
      slides[shown].style.display = 'block';
    }, 6000);
  }
})();
