// The second slide first, the others after it.
var hero = document.querySelector('.hero');
var slides = hero.querySelectorAll('.slide');
if (slides.length > 1) hero.insertBefore(slides[1], slides[0]);
